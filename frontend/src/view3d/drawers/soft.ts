/** Draws particles as light or haze: soft discs that face the camera, in no order. */
import * as THREE from "three";
import type { Geometry } from "../../state/results.slice";
import { softMaterial } from "../materials";
import type { Quality } from "../quality";
import { Coloured } from "./coloured";
import type { Drawn, Way } from "./drawer";

/** Sides of a disc. */
const SIDES = 10;

export class Soft extends Coloured {
  readonly size: number;
  readonly solid = false;
  readonly casts = false;

  constructor(
    geometry: Geometry,
    quality: Quality,
    private readonly way: Way,
  ) {
    super(geometry, "discs");
    const sizes = geometry.arrays.sizes as Float32Array;
    this.size = sizes[0] ?? 0.01;
    const values = this.common.values;
    values.set("places", 0, 3, geometry.positions);
    values.set("places", 3, 1, sizes);
    const { mesh, of } = this.add(discs(this.count, Math.min(this.count, quality.most)), false, false);
    const part = this.parts[0]!;
    part.finished.dispose();
    part.finished = softMaterial(this.common, of, way);
    this.setShading("finished");
    mesh.receiveShadow = false;
    // After all that is solid, which it never hides.
    mesh.renderOrder = 2;
  }

  draws(geometry: Geometry, _shapes: Drawn[], way: Way | null): boolean {
    return geometry === this.made && way === this.way;
  }
}

/** A disc of diameter 1 for each element, with its number. */
function discs(count: number, shown: number): THREE.InstancedBufferGeometry {
  const base = new THREE.CircleGeometry(0.5, SIDES);
  const geometry = new THREE.InstancedBufferGeometry();
  geometry.index = base.index;
  for (const name of ["position", "normal", "uv"]) geometry.setAttribute(name, base.getAttribute(name));
  geometry.setAttribute("element", new THREE.InstancedBufferAttribute(Float32Array.from({ length: count }, (_, k) => k), 1));
  geometry.instanceCount = shown;
  return geometry;
}
