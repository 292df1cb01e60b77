/** Draws elements that stand alone: one to 32 shapes, each many times. */
import * as THREE from "three";
import type { Geometry } from "../../state/results.slice";
import { Coloured } from "./coloured";
import type { Quality } from "../quality";
import type { Drawn, Way } from "./drawer";

/** Into a variance shadow map three.js draws what receives shadows too, and without this the bare shape once, at the origin. */
const NO_SHADOW = new THREE.ShaderMaterial({ vertexShader: "void main() { gl_Position = vec4(2.0, 2.0, 2.0, 1.0); }", fragmentShader: "void main() { gl_FragColor = vec4(0.0); discard; }" });

/** Vertices of one mesh that holds every element apart, at most; beyond it they stay instances. */
const MOST_APART = 1_200_000;

export class Instances extends Coloured {
  readonly size: number;
  readonly solid = false;
  readonly casts = false;
  private readonly keys: string;
  /** Of each shape, how many vertices carry the number of an element: all of its own where elements lie apart, else one. */
  private readonly carriers: number[];

  constructor(
    geometry: Geometry,
    shapes: Drawn[],
    private readonly quality: Quality,
  ) {
    super(geometry, "instances");
    const { positions, arrays } = geometry;
    const sizes = arrays.sizes as Float32Array;
    this.size = sizes[0] ?? 0.01;
    this.keys = shapes.map(({ key }) => key).join();
    const values = this.common.values;
    values.set("places", 0, 3, (arrays.places as Float32Array | undefined) ?? positions);
    values.set("places", 3, 1, sizes);
    values.set("turns", 0, 4, arrays.orientations as Float32Array);
    const bases = arrays.shape_positions ? [pieces(arrays)] : shapes.map((shape) => shape.geometry);
    const vertices = bases.map((base) => base.getAttribute("position").count);
    // To a processor that draws, each instance is a call of its own: a mesh that holds all of them takes a third.
    const apart = quality.plain && this.shown * vertices.reduce((a, b) => a + b, 0) <= MOST_APART;
    this.carriers = vertices.map((count) => (apart ? count : 1));
    for (const base of bases) {
      const { mesh } = this.add(apart ? this.apart(base) : this.instanced(base), true, false);
      mesh.customDepthMaterial = NO_SHADOW;
    }
    this.sort(null);
  }

  private get shown(): number {
    return Math.min(this.count, this.quality.most);
  }

  draws(geometry: Geometry, shapes: Drawn[], way: Way | null): boolean {
    return way === null && geometry === this.made && this.keys === shapes.map(({ key }) => key).join();
  }

  override setLane(name: string, values: ArrayLike<number> | null) {
    if (name === "shape") this.sort(values);
    else super.setLane(name, values);
  }

  /** A shape, with room for the numbers of all elements that may be it. */
  private instanced(base: THREE.BufferGeometry): THREE.InstancedBufferGeometry {
    const geometry = new THREE.InstancedBufferGeometry();
    geometry.index = base.index;
    for (const name of ["position", "normal", "uv", "piece"]) {
      const found = base.getAttribute(name);
      if (found) geometry.setAttribute(name, found);
    }
    const { pieces: own } = this.made.arrays;
    if (own) geometry.setAttribute("own", new THREE.InstancedBufferAttribute(Uint8Array.from(own, (k) => k + 1), 1));
    const numbers = new THREE.InstancedBufferAttribute(new Float32Array(this.count), 1);
    numbers.setUsage(THREE.DynamicDrawUsage);
    geometry.setAttribute("element", numbers);
    return geometry;
  }

  /** The same as one mesh, in which each element has vertices of its own. */
  private apart(base: THREE.BufferGeometry): THREE.BufferGeometry {
    const geometry = new THREE.BufferGeometry();
    const room = this.shown;
    const vertices = base.getAttribute("position").count;
    for (const name of ["position", "normal", "uv", "piece"]) {
      const found = base.getAttribute(name);
      if (found) geometry.setAttribute(name, new THREE.BufferAttribute(repeated(found.array as Float32Array | Uint8Array, room), found.itemSize));
    }
    const corners = base.index!.array;
    const faces = repeated(corners as Uint32Array, room);
    for (let k = 1; k < room; k++) for (let c = 0; c < corners.length; c++) faces[k * corners.length + c]! += k * vertices;
    geometry.setIndex(new THREE.BufferAttribute(faces, 1));
    const numbers = new THREE.BufferAttribute(new Float32Array(room * vertices), 1);
    numbers.setUsage(THREE.DynamicDrawUsage);
    geometry.setAttribute("element", numbers);
    const { pieces: own } = this.made.arrays;
    if (own) geometry.setAttribute("own", new THREE.BufferAttribute(new Uint8Array(room * vertices).map((_, k) => own[Math.floor(k / vertices)]! + 1), 1));
    return geometry;
  }

  /** Hand the elements out to the shapes that they are: as the look says, else as they came; all to the first while nothing says. */
  private sort(chosen: ArrayLike<number> | null) {
    const shapes = chosen ?? this.made.arrays.models ?? null;
    const counts = this.parts.map(() => 0);
    const lists = this.parts.map(({ mesh }) => mesh.geometry.getAttribute("element") as THREE.BufferAttribute);
    const { shown, carriers } = this;
    const several = shapes !== null && shapes.length === this.count && this.parts.length > 1;
    for (let k = 0; k < shown; k++) {
      const shape = several ? Math.min(shapes[k]!, this.parts.length - 1) : 0;
      const first = counts[shape]!++ * carriers[shape]!;
      lists[shape]!.array.fill(k, first, first + carriers[shape]!);
    }
    this.parts.forEach(({ mesh }, k) => {
      if (mesh.geometry instanceof THREE.InstancedBufferGeometry) mesh.geometry.instanceCount = counts[k]!;
      else mesh.geometry.setDrawRange(0, (counts[k]! * mesh.geometry.index!.count) / shown);
      mesh.visible = counts[k]! > 0;
      lists[k]!.needsUpdate = true;
    });
  }
}

/** A thing of several parts as one shape, each vertex with the number of its part. */
function pieces(arrays: Geometry["arrays"]): THREE.BufferGeometry {
  const geometry = new THREE.BufferGeometry();
  const positions = arrays.shape_positions as Float32Array;
  geometry.setAttribute("position", new THREE.BufferAttribute(positions, 3));
  geometry.setAttribute("normal", new THREE.BufferAttribute(arrays.shape_normals as Float32Array, 3));
  // As in the files: a picture lies on it from above.
  const uv = new Float32Array((positions.length / 3) * 2).map((_, k) => positions[3 * (k >> 1) + (k & 1)]! + 0.5);
  geometry.setAttribute("uv", new THREE.BufferAttribute(uv, 2));
  geometry.setAttribute("piece", new THREE.BufferAttribute(Uint8Array.from(arrays.shape_pieces!, (k) => k + 1), 1));
  geometry.setIndex(new THREE.BufferAttribute(new Uint32Array(arrays.shape_faces as Int32Array), 1));
  return geometry;
}

/** The same values so many times, one after the other. */
function repeated<Values extends Float32Array | Uint8Array | Uint32Array>(values: Values, times: number): Values {
  const found = new (values.constructor as new (size: number) => Values)(values.length * times);
  for (let k = 0; k < times; k++) found.set(values, k * values.length);
  return found;
}
