/** What all drawers of coloured elements have in common: the buffers that change, the materials, what is singled out. */
import * as THREE from "three";
import type { Geometry } from "../../state/results.slice";
import { EFFECTS, finishedMaterial, flatMaterial, laneName, pickMaterial, type Standing, uniforms } from "../materials";
import type { Aside, Drawer, Shading } from "./drawer";

/** Until colours have come. */
const GREY = 128;

export abstract class Coloured implements Drawer {
  readonly object: THREE.Mesh;
  readonly positions: Float32Array;
  abstract readonly size: number;
  private readonly own: THREE.Box3;
  private readonly shared = uniforms();
  private readonly finished: THREE.MeshStandardMaterial;
  private readonly flat: THREE.ShaderMaterial;
  private pick: THREE.ShaderMaterial | null = null;
  private shading: Shading = "finished";
  /** What is shown while no value is previewed, and the value that is. */
  private colours: ArrayLike<number> | null = null;
  private preview: ArrayLike<number> | null = null;

  constructor(
    protected readonly made: Geometry,
    buffers: THREE.BufferGeometry,
    private readonly standing: Standing,
  ) {
    this.positions = made.positions;
    this.own = new THREE.Box3(new THREE.Vector3(...made.header.low), new THREE.Vector3(...made.header.high));
    this.finished = finishedMaterial(this.shared, standing);
    this.flat = flatMaterial(this.shared, standing);
    this.object = new THREE.Mesh(buffers, this.finished);
    this.object.matrixAutoUpdate = false;
    this.object.frustumCulled = false;
    this.object.receiveShadow = true;
  }

  abstract draws(geometry: Geometry, shape: string): boolean;

  get box(): THREE.Box3 {
    return this.own.clone().applyMatrix4(this.object.matrix);
  }

  place(matrix: number[]): boolean {
    if (matrix.every((part, k) => part === this.object.matrix.elements[k])) return false;
    this.object.matrix.fromArray(matrix);
    this.object.matrixWorldNeedsUpdate = true;
    return true;
  }

  placeOf(element: number): THREE.Vector3 | null {
    if (3 * element + 2 >= this.positions.length) return null;
    return new THREE.Vector3().fromArray(this.positions, 3 * element).applyMatrix4(this.object.matrix);
  }

  normalOf(element: number): THREE.Vector3 | null {
    const { normals, orientations } = this.made.arrays;
    const found = new THREE.Vector3();
    if (normals) found.fromArray(normals, 3 * element);
    else if (orientations) found.set(0, 0, 1).applyQuaternion(new THREE.Quaternion().fromArray(orientations, 4 * element));
    return found.lengthSq() > 0.5 ? found.transformDirection(this.object.matrix) : null;
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
    const buffer = this.object.geometry.getAttribute(attribute) as THREE.BufferAttribute;
    if (!values || buffer.array.length !== values.length) return;
    buffer.array.set(values);
    buffer.needsUpdate = true;
  }

  isolate(group: number | null, owners: ArrayLike<number> | null = null) {
    this.shared.isolated.value = group ?? -1;
    if (owners || this.owned) this.single(owners, group);
  }

  /** Whether the buffer of groups holds what is singled out of owners, whose numbers go beyond a byte. */
  private owned = false;
  private groups: Uint8Array | null = null;

  /** Elements of one owner are group 1 of two while it is singled out; then the groups come back. */
  private single(owners: ArrayLike<number> | null, owner: number | null) {
    const buffer = this.object.geometry.getAttribute("group") as THREE.BufferAttribute;
    const values = buffer.array as Uint8Array;
    if (owners && owner !== null && owners.length === values.length) {
      if (!this.owned) this.groups = values.slice();
      for (let k = 0; k < values.length; k++) values[k] = owners[k] === owner ? 1 : 0;
      this.shared.isolated.value = 1;
      this.owned = true;
    } else if (this.owned) {
      if (this.groups) values.set(this.groups);
      this.owned = false;
    }
    buffer.needsUpdate = true;
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
    this.pick ??= pickMaterial(population, this.standing);
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

/** Add the buffers that answers are written into: the colours, the groups, and the lanes of these names. */
export function changing(geometry: THREE.BufferGeometry, count: number, instanced: boolean, lanes: string[]) {
  const Buffer = instanced ? THREE.InstancedBufferAttribute : THREE.BufferAttribute;
  const add = (name: string, width: number, unit: boolean, value: number) => {
    const attribute = new Buffer(new Uint8Array(count * width).fill(value), width, unit);
    attribute.setUsage(THREE.DynamicDrawUsage);
    geometry.setAttribute(name, attribute);
  };
  add("tint", 3, true, GREY);
  add("group", 1, false, 0);
  for (const lane of lanes) add(lane, 1, true, 0);
}
