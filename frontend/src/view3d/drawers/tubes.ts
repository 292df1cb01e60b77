/** Draws strands of a section: rings of vertices around their points, closed at both ends. */
import * as THREE from "three";
import type { Geometry } from "../../state/results.slice";
import type { Quality } from "../quality";
import type { Drawn } from "./drawer";
import { Strands } from "./ribbons";

/** Vertices that are drawn at most; of more strands every so many-th is left. */
const MOST = 2_000_000;

export class Tubes extends Strands {
  readonly solid = true;

  constructor(geometry: Geometry, _shapes: Drawn[], quality: Quality) {
    super(geometry, "tubes");
    const { starts } = this;
    const [sides, rounded] = geometry.arrays.section as Int32Array;
    this.common.values.set("turns", 2, 2, onASquare(geometry.arrays.across as Float32Array));
    const caps = capsOf(sides!, rounded! > 0);
    const strands = starts.length - 1;
    const vertices = sides! * (this.count + 2 * caps.length * strands);
    const every = Math.max(1, Math.ceil(strands / quality.strands), Math.ceil(vertices / MOST));
    this.add(rings(this.shownOf(every), sides!, caps), false, quality.shadowSize > 0);
  }
}

/** How far a ring is moved along, in radii, its size, and how far its normals lean forward. */
type Ring = [moved: number, sized: number, leaning: number];

/** From the tip to the first ring, as core/geometry/tubing.py has them. */
function capsOf(sides: number, rounded: boolean): Ring[] {
  const up = Math.PI / 2;
  if (!rounded) return [[0, 0, up], [0, 1, up]];
  const many = Math.max(2, Math.floor(sides / 4));
  return Array.from({ length: many }, (_, k): Ring => [Math.sin(up * (1 - k / many)), k === 0 ? 0 : Math.cos(up * (1 - k / many)), up * (1 - k / many)]);
}

/** Unit vectors as two numbers each: folded onto an octahedron, and that laid flat. */
function onASquare(vectors: Float32Array): Float32Array {
  const found = new Float32Array((2 * vectors.length) / 3);
  for (let k = 0; 3 * k < vectors.length; k++) {
    const [x, y, z] = [vectors[3 * k]!, vectors[3 * k + 1]!, vectors[3 * k + 2]!];
    const sum = Math.max(Math.abs(x) + Math.abs(y) + Math.abs(z), 1e-12);
    const [u, v] = [x / sum, y / sum];
    found[2 * k] = z < 0 ? (1 - Math.abs(v)) * (u < 0 ? -1 : 1) : u;
    found[2 * k + 1] = z < 0 ? (1 - Math.abs(u)) * (v < 0 ? -1 : 1) : v;
  }
  return found;
}

/** The vertices of rings around the points of strands that are drawn, and triangles from each ring to the next. */
function rings(strands: number[][], sides: number, caps: Ring[]): THREE.BufferGeometry {
  const count = strands.reduce((sum, points) => sum + points.length + 2 * caps.length, 0);
  const [element, position, normal] = [new Float32Array(count * sides), new Float32Array(3 * count * sides), new Float32Array(3 * count * sides)];
  const index = new Uint32Array(6 * sides * (count - strands.length));
  let [at, put] = [0, 0];
  const body: Ring = [0, 1, 0];
  for (const points of strands) {
    const size = points.length;
    const last = size + 2 * caps.length - 1;
    for (let j = 0; j <= last; j++) {
      const cap = Math.min(j, last - j);
      const [moved, sized, leaning] = caps[cap] ?? body;
      const sign = j < caps.length ? -1 : 1;
      const step = Math.min(Math.max(j - caps.length, 0), size - 1);
      const point = points[step]!;
      const ends = (step === 0 ? 1 : 0) + (step === size - 1 ? 2 : 0);
      for (let k = 0; k < sides; k++, at++) {
        element[at] = point;
        position.set([sign * moved, sized, sign * leaning], 3 * at);
        normal.set([Math.cos((2 * Math.PI * k) / sides), Math.sin((2 * Math.PI * k) / sides), ends], 3 * at);
        if (j === last) continue;
        const [a, b] = [at, at - k + ((k + 1) % sides)];
        index.set([a, b, b + sides, a, b + sides, a + sides], put);
        put += 6;
      }
    }
  }
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute("element", new THREE.BufferAttribute(element, 1));
  geometry.setAttribute("position", new THREE.BufferAttribute(position, 3));
  geometry.setAttribute("normal", new THREE.BufferAttribute(normal, 3));
  geometry.setIndex(new THREE.BufferAttribute(index, 1));
  return geometry;
}
