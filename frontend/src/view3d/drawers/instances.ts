/** Draws elements that stand alone: one shape, many times. */
import * as THREE from "three";
import type { Geometry } from "../../state/results.slice";
import { EFFECTS, finishedMaterial, flatMaterial, laneName, pickMaterial, uniforms } from "../materials";
import { type Shape, shapeGeometry } from "../shapes";
import type { Aside, Drawer, Shading } from "./drawer";

/** Until colours have come. */
const GREY = 128;

export class Instances implements Drawer {
  readonly object: THREE.Mesh<THREE.InstancedBufferGeometry>;
  readonly box: THREE.Box3;
  readonly positions: Float32Array;
  readonly size: number;
  private readonly shared = uniforms();
  private readonly finished = finishedMaterial(this.shared);
  private readonly flat = flatMaterial(this.shared);
  private pick: THREE.ShaderMaterial | null = null;
  private shading: Shading = "finished";
  /** What is shown while no value is previewed, and the value that is. */
  private colours: ArrayLike<number> | null = null;
  private preview: ArrayLike<number> | null = null;

  constructor(
    private readonly geometry: Geometry,
    private readonly shape: Shape,
    most: number,
  ) {
    this.positions = geometry.positions;
    this.size = geometry.sizes[0] ?? 0.01;
    this.box = new THREE.Box3(new THREE.Vector3(...geometry.header.low), new THREE.Vector3(...geometry.header.high));
    this.object = new THREE.Mesh(instanced(geometry, shape, most), this.finished);
    this.object.frustumCulled = false;
    this.object.receiveShadow = true;
  }

  draws(geometry: Geometry, shape: Shape): boolean {
    return geometry === this.geometry && shape === this.shape;
  }

  setLane(name: string, values: ArrayLike<number> | null) {
    if (name === "base_colour" || name === "preview") {
      if (name === "preview") this.preview = values;
      else this.colours = values;
      this.write("tint", this.preview ?? this.colours);
      this.applyShading();
    } else if (name === "groups") this.write("group", values);
    else if (name in EFFECTS) {
      this.shared.lanes[laneName(name)]!.value = values ? 1 : 0;
      this.write(laneName(name), values);
    }
  }

  /** Update a buffer in place; arrays of another length belong to other elements. */
  private write(attribute: string, values: ArrayLike<number> | null) {
    const buffer = this.object.geometry.getAttribute(attribute) as THREE.InstancedBufferAttribute;
    if (!values || buffer.array.length !== values.length) return;
    buffer.array.set(values);
    buffer.needsUpdate = true;
  }

  isolate(group: number | null) {
    this.shared.isolated.value = group ?? -1;
  }

  setShading(shading: Shading) {
    this.shading = shading;
    this.applyShading();
  }

  /** A value that is shown is not lit, so that its greys can be read against its scale. */
  private applyShading() {
    this.object.material = this.shading === "flat" || this.preview ? this.flat : this.finished;
  }

  setAside({ linear, bytes }: Aside) {
    this.shared.aside.value.copy(linear);
    this.shared.bytes.value.setScalar(bytes);
  }

  setPicking(population: number | null) {
    if (population === null) return this.applyShading();
    this.pick ??= pickMaterial(population);
    this.pick.uniforms.population!.value = population / 255;
    this.object.material = this.pick;
  }

  dispose() {
    this.object.geometry.dispose();
    this.finished.dispose();
    this.flat.dispose();
    this.pick?.dispose();
  }
}

/** The arrays of a population as instance attributes over a shape. */
function instanced({ positions, orientations, sizes }: Geometry, shape: Shape, most: number): THREE.InstancedBufferGeometry {
  const base = shapeGeometry(shape);
  const count = sizes.length;
  const geometry = new THREE.InstancedBufferGeometry();
  geometry.index = base.index;
  geometry.setAttribute("position", base.getAttribute("position"));
  geometry.setAttribute("normal", base.getAttribute("normal"));
  geometry.setAttribute("place", new THREE.InstancedBufferAttribute(positions, 3));
  geometry.setAttribute("turn", new THREE.InstancedBufferAttribute(orientations, 4));
  geometry.setAttribute("size", new THREE.InstancedBufferAttribute(sizes, 1));
  const changing = (name: string, width: number, unit: boolean, value: number) => {
    const attribute = new THREE.InstancedBufferAttribute(new Uint8Array(count * width).fill(value), width, unit);
    attribute.setUsage(THREE.DynamicDrawUsage);
    geometry.setAttribute(name, attribute);
  };
  changing("tint", 3, true, GREY);
  changing("group", 1, false, 0);
  for (const channel of Object.keys(EFFECTS)) changing(laneName(channel), 1, true, 0);
  geometry.instanceCount = Math.min(count, most);
  return geometry;
}
