/** What all drawers of coloured elements have in common: the values that change, the materials, what is singled out. */
import * as THREE from "three";
import type { Material } from "../../api/client";
import type { Geometry } from "../../state/results.slice";
import { quality } from "../quality";
import { slotOf } from "../values";
import type { Dimmed, Drawer, Drawn, Recolouring, Shading, Way } from "./drawer";
import { finishedMaterial, flatMaterial, marksMaterial, pickMaterial, plainMaterial, shadowMaterial } from "../materials";
import { type Standing } from "../shaders/standing";
import { ofShape, type OfShape, setMaterial, setPicture, shared } from "../uniforms";

/** Until colours have come. */
const GREY = 128;

/** One mesh of a drawer, with the materials that it takes by turns. */
interface Part {
  mesh: THREE.Mesh;
  of: OfShape;
  finished: THREE.Material;
  flat: THREE.Material;
  pick: THREE.Material | null;
  marks: THREE.Material | null;
}

export abstract class Coloured implements Drawer {
  readonly object = new THREE.Group();
  readonly positions: Float32Array;
  abstract readonly size: number;
  abstract readonly solid: boolean;
  abstract readonly casts: boolean;
  protected readonly common;
  protected readonly parts: Part[] = [];
  protected readonly count: number;
  private readonly own: THREE.Box3;
  private shading: Shading = "finished";
  /** What is shown while no value is previewed, and the value that is. */
  private colours: ArrayLike<number> | null = null;
  private preview: ArrayLike<number> | null = null;
  private readonly number = { value: 0 };
  private readonly unlit = { value: 0 };
  private glows = false;
  /** The material in place, and its pictures. */
  private told = "";
  private pictures: (THREE.DataArrayTexture | null)[] = [];
  private opacities: ArrayLike<number> | null = null;
  private finishOpacity = 1;
  private offsets: ArrayLike<number> | null = null;

  constructor(
    protected readonly made: Geometry,
    private readonly standing: Standing,
  ) {
    this.positions = made.positions;
    this.count = made.positions.length / 3;
    this.common = shared(this.count);
    this.own = new THREE.Box3(new THREE.Vector3(...made.header.low), new THREE.Vector3(...made.header.high));
    this.common.values.set("tints", 0, 4, new Uint8Array(4 * this.count).fill(GREY).map((level, k) => (k % 4 === 3 ? 0 : level)));
    this.object.matrixAutoUpdate = false;
  }

  /** Add a mesh of these vertices; `pictured` says whether they have a uv. */
  protected add(buffers: THREE.BufferGeometry, pictured: boolean, shadow: boolean) {
    const of = ofShape();
    const made = quality().plain ? plainMaterial : finishedMaterial;
    const finished = made(this.common, of, this.standing, pictured);
    const mesh = new THREE.Mesh(buffers, finished);
    mesh.frustumCulled = false;
    mesh.receiveShadow = true;
    mesh.castShadow = shadow;
    if (shadow) mesh.customDepthMaterial = shadowMaterial(this.common, of, this.standing);
    this.parts.push({ mesh, of, finished, flat: flatMaterial(this.common, of, this.standing, pictured), pick: null, marks: null });
    this.object.add(mesh);
    return { mesh, of };
  }

  abstract draws(geometry: Geometry, shapes: Drawn[], way: Way | null): boolean;

  get box(): THREE.Box3 {
    const box = this.own.clone();
    if (this.offsets) box.expandByScalar(this.offsets.length > 200_000 ? 0 : greatest(this.offsets));
    return box.applyMatrix4(this.object.matrix);
  }

  get seenThrough(): boolean {
    if ((this.common.uniforms.threshold!.value as number) >= 0) return false;
    return this.opacities ? some(this.opacities, (level) => level < 255) : this.finishOpacity < 1;
  }

  place(matrix: number[]): boolean {
    if (matrix.every((part, k) => part === this.object.matrix.elements[k])) return false;
    this.object.matrix.fromArray(matrix);
    this.object.matrixWorldNeedsUpdate = true;
    return true;
  }

  placeOf(element: number): THREE.Vector3 | null {
    if (3 * element + 2 >= this.positions.length) return null;
    const place = new THREE.Vector3().fromArray(this.positions, 3 * element);
    const offset = this.common.values.at("floatsA", 1, element);
    if (offset !== null) place.addScaledVector(this.wayOf(element), offset);
    return place.applyMatrix4(this.object.matrix);
  }

  protected get movedOut(): boolean {
    return this.offsets !== null;
  }

  /** Which way an offset of 1 moves an element. */
  private wayOf(element: number): THREE.Vector3 {
    const { along, up } = this.common.uniforms as { along: { value: number }; up: { value: THREE.Vector3 } };
    const values = [0, 1, 2].map((k) => this.common.values.at("ways", k, element));
    if (along.value === 1) return up.value;
    return values[0] === null ? (this.outOf(element) ?? new THREE.Vector3()) : new THREE.Vector3(values[0], values[1]!, values[2]!);
  }

  private outOf(element: number): THREE.Vector3 | null {
    const { normals, orientations } = this.made.arrays;
    const found = new THREE.Vector3();
    if (normals) found.fromArray(normals, 3 * element);
    else if (orientations) found.set(0, 0, 1).applyQuaternion(new THREE.Quaternion().fromArray(orientations, 4 * element));
    return found.lengthSq() > 0.5 ? found : null;
  }

  normalOf(element: number): THREE.Vector3 | null {
    return this.outOf(element)?.transformDirection(this.object.matrix) ?? null;
  }

  setLane(name: string, values: ArrayLike<number> | null) {
    const held = this.common.values;
    const [channel, what] = name.split(".");
    if (name === "base_colour" || name === "preview") {
      if (name === "preview") this.preview = values;
      else this.colours = values;
      const shown = this.preview ?? this.colours;
      if (shown) held.set("tints", 0, 3, shown);
      this.common.uniforms.plain!.value = this.preview ? 1 : 0;
      this.applyShading();
    } else if (name === "groups") this.setGroups(values);
    else if (what === "at" || what === "table") this.setEnd(channel!, what, values);
    else if (slotOf(name)) {
      const { texture, part } = slotOf(name)!;
      held.set(texture, part, texture === "glows" || texture === "unders" || texture === "ways" ? 3 : 1, values);
      if (name === "opacity") this.opacities = values;
      if (name === "offset") this.offsets = values;
    }
  }

  /** The end of a lane of a mesh: its numbers, or its table. */
  private setEnd(channel: string, what: "at" | "table", values: ArrayLike<number> | null) {
    if (what === "table") return this.common.tables.set(channel, values as Float32Array | null);
    const k = slotOf(channel)?.table ?? null;
    if (k !== null) this.common.values.set(k < 4 ? "mappedA" : "mappedB", k % 4, 1, values);
  }

  setMaterial(material: Material, pictures: (THREE.DataArrayTexture | null)[]): boolean {
    const told = JSON.stringify(material);
    if (told === this.told && pictures.every((texture, k) => texture === this.pictures[k])) return false;
    this.told = told;
    this.pictures = pictures;
    setMaterial(this.common, material);
    this.glows = material.finishes.some((f) => f.emission_strength[0]! > 0);
    this.finishOpacity = Math.min(...material.finishes.map((f) => f.opacity[0]!));
    this.common.uniforms.scale!.value = this.size || this.own.getSize(new THREE.Vector3()).length() * 0.02;
    this.parts.forEach(({ of }, k) => {
      const shape = material.shapes[Math.min(k, material.shapes.length - 1)];
      of.shapeSize.value = shape?.size ?? 1;
      setPicture(of, shape?.picture ?? null, pictures[Math.min(k, pictures.length - 1)] ?? null);
    });
    return true;
  }

  setPass(pass: number) {
    this.common.uniforms.pass!.value = pass;
  }

  isolate(group: number | null, owners: ArrayLike<number> | null = null) {
    this.common.uniforms.isolated!.value = group ?? -1;
    if (owners || this.owned) this.single(owners, group);
  }

  /** Whether the groups in place are what is singled out of owners, whose numbers go beyond a byte. */
  private owned = false;
  private groups: ArrayLike<number> | null = null;

  private setGroups(values: ArrayLike<number> | null) {
    this.groups = values;
    if (values && !this.owned) this.common.values.set("tints", 3, 1, values);
  }

  /** Elements of one owner are group 1 of two while it is singled out; then the groups come back. */
  private single(owners: ArrayLike<number> | null, owner: number | null) {
    if (owners && owner !== null && owners.length === this.count) {
      this.common.values.set("tints", 3, 1, Uint8Array.from(owners, (k) => Number(k === owner)));
      this.common.uniforms.isolated!.value = 1;
      this.owned = true;
    } else if (this.owned) {
      this.owned = false;
      this.setGroups(this.groups);
    }
  }

  setShading(shading: Shading) {
    this.shading = shading;
    this.applyShading();
  }

  /** A value that is shown is not lit, so that its greys can be read against its scale. */
  private applyShading() {
    for (const { mesh, flat, finished } of this.parts) mesh.material = this.flat ? flat : finished;
  }

  private get flat(): boolean {
    return this.shading === "flat" || this.preview !== null;
  }

  get recolouring(): Recolouring | null {
    const { tints, isolated, bytes } = this.common.uniforms;
    const apart = this.standing === "instances" && this.parts.every(({ of }) => !of.usesPicture.value);
    const shines = !this.flat && (this.glows || this.common.values.at("floatsA", 3, 0) !== null);
    return apart && !shines ? { tints: tints!, isolated: isolated!, dimmed: bytes! } : null;
  }

  setMarking(on: boolean) {
    if (!on) return this.applyShading();
    this.unlit.value = Number(this.flat);
    for (const part of this.parts) part.mesh.material = part.marks ??= marksMaterial(this.common, part.of, this.standing, this.unlit);
  }

  setDimmed({ linear, bytes }: Dimmed) {
    (this.common.uniforms.dimmed!.value as THREE.Color).copy(linear);
    (this.common.uniforms.bytes!.value as THREE.Color).setScalar(bytes);
  }

  setPicking(population: number | null) {
    if (population === null) return this.applyShading();
    this.number.value = population / 255;
    for (const part of this.parts) {
      part.pick ??= pickMaterial(this.common, part.of, this.number, this.standing);
      part.mesh.material = part.pick;
    }
  }

  dispose() {
    for (const { mesh, finished, flat, pick, marks } of this.parts) {
      mesh.geometry.dispose();
      (mesh.customDepthMaterial as THREE.Material | undefined)?.dispose();
      finished.dispose();
      flat.dispose();
      pick?.dispose();
      marks?.dispose();
    }
    this.common.values.dispose();
  }
}

function greatest(values: ArrayLike<number>): number {
  let most = 0;
  for (let k = 0; k < values.length; k++) most = Math.max(most, Math.abs(values[k]!));
  return most;
}

function some(values: ArrayLike<number>, test: (value: number) => boolean): boolean {
  for (let k = 0; k < values.length; k++) if (test(values[k]!)) return true;
  return false;
}
