/** Draws elements that stand alone: one shape, many times. */
import * as THREE from "three";
import type { Geometry } from "../../state/results.slice";
import { EFFECTS, laneName } from "../materials";
import { type Shape, shapeGeometry } from "../shapes";
import { changing, Coloured } from "./coloured";

/** Into a variance shadow map three.js draws what receives shadows too, and without this the bare shape once, at the origin. */
const NO_SHADOW = new THREE.ShaderMaterial({ vertexShader: "void main() { gl_Position = vec4(2.0, 2.0, 2.0, 1.0); }", fragmentShader: "void main() { discard; }" });

export class Instances extends Coloured {
  readonly size: number;

  constructor(
    geometry: Geometry,
    private readonly shape: Shape,
    most: number,
  ) {
    super(geometry, instanced(geometry, shape, most), "instances");
    this.object.customDepthMaterial = NO_SHADOW;
    this.size = (geometry.arrays.sizes as Float32Array)[0] ?? 0.01;
  }

  draws(geometry: Geometry, shape: Shape): boolean {
    return geometry === this.made && shape === this.shape;
  }
}

/** The arrays of a population as instance attributes over a shape. */
function instanced({ positions, arrays }: Geometry, shape: Shape, most: number): THREE.InstancedBufferGeometry {
  const base = arrays.shape_positions ? pieces(arrays) : shapeGeometry(shape);
  const count = positions.length / 3;
  const geometry = new THREE.InstancedBufferGeometry();
  geometry.index = base.index;
  geometry.setAttribute("position", base.getAttribute("position"));
  geometry.setAttribute("normal", base.getAttribute("normal"));
  geometry.setAttribute("place", new THREE.InstancedBufferAttribute((arrays.places as Float32Array | undefined) ?? positions, 3));
  geometry.setAttribute("turn", new THREE.InstancedBufferAttribute(arrays.orientations as Float32Array, 4));
  geometry.setAttribute("size", new THREE.InstancedBufferAttribute(arrays.sizes as Float32Array, 1));
  const piece = base.getAttribute("piece");
  if (piece && arrays.pieces) {
    geometry.setAttribute("piece", piece);
    geometry.setAttribute("own", new THREE.InstancedBufferAttribute(Uint8Array.from(arrays.pieces, (k) => k + 1), 1));
  }
  changing(geometry, count, true, Object.keys(EFFECTS).map(laneName));
  geometry.instanceCount = Math.min(count, most);
  return geometry;
}

/** A thing of several parts as one shape, each vertex with the number of its part. */
function pieces(arrays: Geometry["arrays"]): THREE.BufferGeometry {
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute("position", new THREE.BufferAttribute(arrays.shape_positions as Float32Array, 3));
  geometry.setAttribute("normal", new THREE.BufferAttribute(arrays.shape_normals as Float32Array, 3));
  geometry.setAttribute("piece", new THREE.BufferAttribute(Uint8Array.from(arrays.shape_pieces!, (k) => k + 1), 1));
  geometry.setIndex(new THREE.BufferAttribute(new Uint32Array(arrays.shape_faces as Int32Array), 1));
  return geometry;
}
