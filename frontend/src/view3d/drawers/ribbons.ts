/** Draws strands: ribbons that face the camera, as wide as each point says and never thinner than a pixel. */
import * as THREE from "three";
import type { Geometry } from "../../state/results.slice";
import type { Quality } from "../quality";
import { leastApart, pointsApart } from "./apart";
import { Coloured } from "./coloured";
import type { Drawn } from "./drawer";

/** What all drawers of strands have in common: where points lie and how thick they are, and what moves them. */
export abstract class Strands extends Coloured {
  readonly size = 0;
  readonly casts = true;
  protected readonly starts: Int32Array;

  constructor(geometry: Geometry, standing: "ribbons" | "tubes") {
    super(geometry, standing);
    this.starts = geometry.arrays.starts as Int32Array;
    const values = this.common.values;
    values.set("places", 0, 3, geometry.positions);
    values.set("places", 3, 1, geometry.arrays.widths as Float32Array);
    values.set("turns", 0, 2, alongAndChance(this.starts, this.count));
  }

  /** The points that are drawn of every so many-th strand. */
  protected shownOf(every: number): number[][] {
    const { header, positions } = this.made;
    const least = leastApart(header.low, header.high);
    const found: number[][] = [];
    for (let c = 0; c + 1 < this.starts.length; c += Math.max(1, every)) found.push(pointsApart(positions, this.starts[c]!, this.starts[c + 1]!, least));
    return found;
  }

  draws(geometry: Geometry): boolean {
    return geometry === this.made;
  }

  override setLane(name: string, values: ArrayLike<number> | null) {
    // Only what is moved along its normal wants these.
    const normals = () => (this.movedOut ? (this.made.arrays.normals as Float32Array) : null);
    super.setLane(name, name === "ways" ? (values ?? normals()) : values);
    if (name === "offset" && values) super.setLane("ways", normals());
  }
}

export class Ribbons extends Strands {
  readonly solid = false;

  constructor(geometry: Geometry, _shapes: Drawn[], quality: Quality) {
    super(geometry, "ribbons");
    this.add(bands(this.shownOf(Math.ceil((this.starts.length - 1) / quality.strands)), this.count), false, quality.shadowSize > 0);
  }
}

/** Of each point its place along its strand by its number, and a number for each strand that density is held against. */
function alongAndChance(starts: Int32Array, count: number): Float32Array {
  const found = new Float32Array(2 * count);
  for (let c = 0; c + 1 < starts.length; c++) {
    const [first, end] = [starts[c]!, starts[c + 1]!];
    const chance = (c * 0.61803398875) % 1;
    for (let k = first; k < end; k++) {
      found[2 * k] = (k - first) / Math.max(1, end - first - 1);
      found[2 * k + 1] = chance;
    }
  }
  return found;
}

/** Two vertices for each point, and two triangles from each point of a strand that is drawn to the next. */
function bands(strands: number[][], count: number): THREE.BufferGeometry {
  // What three wants as a normal says on which side a vertex is, and whether its strand begins or ends there.
  const sides = new Int8Array(6 * count);
  for (let k = 0; k < count; k++) {
    sides[6 * k] = -1;
    sides[6 * k + 3] = 1;
  }
  const index = new Uint32Array(6 * strands.reduce((joints, points) => joints + points.length - 1, 0));
  let at = 0;
  for (const points of strands) {
    const [first, last] = [points[0]!, points.at(-1)!];
    for (const k of [6 * first, 6 * first + 3]) sides[k + 1] = 1;
    for (const k of [6 * last, 6 * last + 3]) sides[k + 2] = 1;
    for (let k = 1; k < points.length; k++) {
      const [a, d] = [2 * points[k - 1]!, 2 * points[k]!];
      index.set([a, a + 1, d, d, a + 1, d + 1], at);
      at += 6;
    }
  }
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute("normal", new THREE.BufferAttribute(sides, 3));
  geometry.setIndex(new THREE.BufferAttribute(index, 1));
  return geometry;
}
