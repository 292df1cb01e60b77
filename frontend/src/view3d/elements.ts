/** The instanced elements: geometry, and a physically based material that reads a tint for each. */
import * as THREE from "three";

export type Shape = "sequin" | "tile" | "ball";

/** A thin, gently domed disc, so that light runs over it; one unit across. */
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

const DECLARE = /* glsl */ `
attribute vec3 place;
attribute vec4 turn;
attribute float size;
attribute vec4 tint;
varying vec3 vTint;
varying float vGroup;
vec3 turned(vec3 v) { return v + 2.0 * cross(turn.xyz, cross(turn.xyz, v) + turn.w * v); }
`;
const COLOUR = /* glsl */ `
varying vec3 vTint;
varying float vGroup;
uniform float isolated;
uniform vec3 aside;
vec3 linearOf(vec3 c) {
  return mix(c / 12.92, pow((c + 0.055) / 1.055, vec3(2.4)), step(0.04045, c));
}
bool isAside() { return isolated >= 0.0 && abs(vGroup - isolated) > 0.5; }
`;

export interface Uniforms {
  isolated: { value: number };
  aside: { value: THREE.Color };
  bytes: { value: THREE.Color };
}

export function uniforms(): Uniforms {
  return {
    isolated: { value: -1 },
    aside: { value: new THREE.Color(0.1, 0.1, 0.1) },
    bytes: { value: new THREE.Color(0.35, 0.35, 0.35) },
  };
}

/** Replace a chunk of a shader; a chunk that is missing must not pass silently. */
function replaced(shader: string, chunk: string, text: string): string {
  if (!shader.includes(chunk)) throw new Error(`The renderer's shader has no ${chunk}.`);
  return shader.replace(chunk, text);
}

export function finishedMaterial(shared: Uniforms): THREE.MeshStandardMaterial {
  const material = new THREE.MeshStandardMaterial({
    metalness: 0.42,
    roughness: 0.3,
    side: THREE.DoubleSide,
    envMapIntensity: 1.0,
  });
  material.onBeforeCompile = (shader) => {
    Object.assign(shader.uniforms, { isolated: shared.isolated, aside: shared.aside });
    let vertex = replaced(shader.vertexShader, "#include <common>", `#include <common>\n${DECLARE}`);
    vertex = replaced(
      vertex,
      "#include <beginnormal_vertex>",
      "#include <beginnormal_vertex>\nobjectNormal = turned(objectNormal);",
    );
    vertex = replaced(
      vertex,
      "#include <begin_vertex>",
      "vec3 transformed = place + turned(position * size);\nvTint = tint.rgb;\nvGroup = tint.a * 255.0;",
    );
    shader.vertexShader = vertex;
    let fragment = replaced(shader.fragmentShader, "#include <common>", `#include <common>\n${COLOUR}`);
    fragment = replaced(
      fragment,
      "#include <color_fragment>",
      "#include <color_fragment>\ndiffuseColor.rgb = isAside() ? aside : linearOf(vTint);",
    );
    fragment = replaced(
      fragment,
      "#include <metalnessmap_fragment>",
      "#include <metalnessmap_fragment>\nif (isAside()) { metalnessFactor = 0.0; }",
    );
    shader.fragmentShader = fragment;
  };
  material.customProgramCacheKey = () => "gaudyseed-elements";
  return material;
}

/** Exactly the computed bytes: no light, no tone mapping, no conversion. */
export function flatMaterial(shared: Uniforms): THREE.ShaderMaterial {
  return new THREE.ShaderMaterial({
    uniforms: { isolated: shared.isolated, aside: shared.bytes },
    side: THREE.DoubleSide,
    toneMapped: false,
    vertexShader: `${DECLARE}
      void main() {
        vTint = tint.rgb;
        vGroup = tint.a * 255.0;
        gl_Position = projectionMatrix * modelViewMatrix * vec4(place + turned(position * size), 1.0);
      }`,
    fragmentShader: `${COLOUR}
      void main() { gl_FragColor = vec4(isAside() ? aside : vTint, 1.0); }`,
  });
}

/** Element numbers as colours, for picking: number + 1, so that 0 is nothing. */
export function pickMaterial(): THREE.ShaderMaterial {
  return new THREE.ShaderMaterial({
    side: THREE.DoubleSide,
    toneMapped: false,
    vertexShader: `${DECLARE}
      varying vec3 vNumber;
      void main() {
        int n = gl_InstanceID + 1;
        vNumber = vec3(float(n & 255), float((n >> 8) & 255), float((n >> 16) & 255)) / 255.0;
        gl_Position = projectionMatrix * modelViewMatrix * vec4(place + turned(position * size), 1.0);
      }`,
    fragmentShader: "varying vec3 vNumber;\nvoid main() { gl_FragColor = vec4(vNumber, 1.0); }",
  });
}

/** The arrays of a population as instance attributes over a shape. */
export function instanced(
  shape: Shape,
  positions: Float32Array,
  orientations: Float32Array,
  sizes: Float32Array,
  most: number,
): THREE.InstancedBufferGeometry {
  const base = shapeGeometry(shape);
  const count = sizes.length;
  const geometry = new THREE.InstancedBufferGeometry();
  geometry.index = base.index;
  geometry.setAttribute("position", base.getAttribute("position"));
  geometry.setAttribute("normal", base.getAttribute("normal"));
  geometry.setAttribute("place", new THREE.InstancedBufferAttribute(positions, 3));
  geometry.setAttribute("turn", new THREE.InstancedBufferAttribute(orientations, 4));
  geometry.setAttribute("size", new THREE.InstancedBufferAttribute(sizes, 1));
  const tint = new THREE.InstancedBufferAttribute(new Uint8Array(count * 4).fill(128), 4, true);
  tint.setUsage(THREE.DynamicDrawUsage);
  geometry.setAttribute("tint", tint);
  geometry.instanceCount = Math.min(count, most);
  return geometry;
}
