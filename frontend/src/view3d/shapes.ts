/** The shapes that elements are drawn as, one unit across. */
import * as THREE from "three";

export type Shape = "sequin" | "tile" | "ball";

/** A thin, gently domed disc, so that light runs over it. */
function sequin(): THREE.BufferGeometry {
  const profile = [
    [0.0, 0.05],
    [0.26, 0.038],
    [0.44, 0.012],
    [0.5, 0.0],
  ] as const;
  return new THREE.LatheGeometry(
    profile.map(([r, h]) => new THREE.Vector2(r, h)),
    16,
  ).rotateX(Math.PI / 2);
}

export function shapeGeometry(shape: Shape): THREE.BufferGeometry {
  if (shape === "ball") return new THREE.IcosahedronGeometry(0.5, 2);
  if (shape === "tile") return new THREE.BoxGeometry(0.92, 0.92, 0.16);
  return sequin();
}
