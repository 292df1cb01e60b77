/** Draws elements that stand alone: one shape, many times. */
import * as THREE from "three";
import type { Geometry } from "../../state/results.slice";
import { EFFECTS, laneName } from "../materials";
import { type Shape, shapeGeometry } from "../shapes";
import { changing, Coloured } from "./coloured";

export class Instances extends Coloured {
  readonly size: number;

  constructor(
    geometry: Geometry,
    private readonly shape: Shape,
    most: number,
  ) {
    super(geometry, instanced(geometry, shape, most), "instances");
    this.size = (geometry.arrays.sizes as Float32Array)[0] ?? 0.01;
  }

  draws(geometry: Geometry, shape: Shape): boolean {
    return geometry === this.made && shape === this.shape;
  }
}

/** The arrays of a population as instance attributes over a shape. */
function instanced({ positions, arrays }: Geometry, shape: Shape, most: number): THREE.InstancedBufferGeometry {
  const base = shapeGeometry(shape);
  const count = positions.length / 3;
  const geometry = new THREE.InstancedBufferGeometry();
  geometry.index = base.index;
  geometry.setAttribute("position", base.getAttribute("position"));
  geometry.setAttribute("normal", base.getAttribute("normal"));
  geometry.setAttribute("place", new THREE.InstancedBufferAttribute(positions, 3));
  geometry.setAttribute("turn", new THREE.InstancedBufferAttribute(arrays.orientations as Float32Array, 4));
  geometry.setAttribute("size", new THREE.InstancedBufferAttribute(arrays.sizes as Float32Array, 1));
  changing(geometry, count, true, Object.keys(EFFECTS).map(laneName));
  geometry.instanceCount = Math.min(count, most);
  return geometry;
}
