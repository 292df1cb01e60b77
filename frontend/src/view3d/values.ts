/** The values of elements as textures that shaders read by the element's number: one for each few channels. */
import * as THREE from "three";

/** Elements of a row. */
const ACROSS = 1024;

/** Where a channel lies: which texture, its first part there, and its number among those that may end per pixel. */
interface Slot {
  texture: TextureName;
  part: number;
  table: number | null;
}

type TextureName = "tints" | "unitsA" | "unitsB" | "glows" | "unders" | "floatsA" | "floatsB" | "floatsC" | "places" | "turns" | "ways" | "mappedA" | "mappedB";

/** Textures of bytes; all others hold floats. */
const BYTES: TextureName[] = ["tints", "unitsA", "unitsB", "glows", "unders"];
export const TEXTURES: TextureName[] = [...BYTES, "floatsA", "floatsB", "floatsC", "places", "turns", "ways", "mappedA", "mappedB"];

/** By the channel's word, as the core has them. A channel without a slot is not seen in the view. */
const slots = new Map<string, Slot>([["ways", { texture: "ways", part: 0, table: null }]]);

/** Take the slots of all channels. */
export function takeSlots(channels: { name: string; slot: { texture: string; part: number; table: number | null } | null }[]) {
  for (const { name, slot } of channels) if (slot) slots.set(name, slot as Slot);
}

export const slotOf = (name: string): Slot | null => slots.get(name) ?? null;

/** How many lanes of a mesh may end per pixel; their numbers lie in the parts of two textures. */
export const MOST_TABLES = 8;

export class ElementValues {
  /** What shaders read: the textures, and for each whether its four parts have values. */
  readonly uniforms: Record<string, { value: unknown }> = {};
  private readonly arrays = new Map<TextureName, Uint8Array | Float32Array>();
  private readonly rows: number;

  constructor(readonly count: number) {
    this.rows = Math.max(1, Math.ceil(count / ACROSS));
    for (const name of TEXTURES) {
      this.uniforms[name] = { value: empty(BYTES.includes(name)) };
      this.uniforms[`has_${name}`] = { value: new THREE.Vector4(0, 0, 0, 0) };
    }
  }

  /** Put values of all elements in place, each of so many parts; null takes them away. */
  set(name: TextureName, part: number, width: number, values: ArrayLike<number> | null) {
    const has = this.uniforms[`has_${name}`]!.value as THREE.Vector4;
    const fits = values !== null && values.length === width * this.count;
    for (let k = part; k < part + width; k++) has.setComponent(k, fits ? 1 : 0);
    if (!fits) return;
    const array = this.array(name);
    if (values instanceof Uint8Array && array instanceof Uint8Array && width === 3 && part === 0) colours(values, array, this.count);
    else for (let k = 0, from = 0, to = part; k < this.count; k++, from += width, to += 4) for (let j = 0; j < width; j++) array[to + j] = values[from + j]!;
    this.touch(name);
  }

  /** What a texture holds of one part of an element. */
  at(name: TextureName, part: number, element: number): number | null {
    const has = this.uniforms[`has_${name}`]!.value as THREE.Vector4;
    return has.getComponent(part) ? this.arrays.get(name)![4 * element + part]! : null;
  }

  /** One part of all elements, to be written to; `touch` sends it. */
  array(name: TextureName): Uint8Array | Float32Array {
    const found = this.arrays.get(name);
    if (found) return found;
    const bytes = BYTES.includes(name);
    const size = 4 * ACROSS * this.rows;
    const array = bytes ? new Uint8Array(size) : new Float32Array(size);
    const texture = bytes
      ? new THREE.DataTexture(array as Uint8Array<ArrayBuffer>, ACROSS, this.rows, THREE.RGBAFormat, THREE.UnsignedByteType)
      : new THREE.DataTexture(array as Float32Array<ArrayBuffer>, ACROSS, this.rows, THREE.RGBAFormat, THREE.FloatType);
    this.arrays.set(name, array);
    this.uniforms[name]!.value = texture;
    return array;
  }

  touch(name: TextureName) {
    (this.uniforms[name]!.value as THREE.DataTexture).needsUpdate = true;
  }

  dispose() {
    for (const name of this.arrays.keys()) (this.uniforms[name]!.value as THREE.DataTexture).dispose();
  }
}

/** Three bytes of each element into the first three of four; one write for each, since colours come with every edit. */
function colours(from: Uint8Array, to: Uint8Array, count: number) {
  const words = new Uint32Array(to.buffer, to.byteOffset, count);
  for (let k = 0, at = 0; k < count; k++, at += 3) words[k] = (words[k]! & 0xff000000) | (from[at + 2]! << 16) | (from[at + 1]! << 8) | from[at]!;
}

const EMPTY: Record<string, THREE.DataTexture> = {};

/** One texel, for what has no values; shared and kept. */
function empty(bytes: boolean): THREE.DataTexture {
  const key = String(bytes);
  if (!EMPTY[key]) {
    EMPTY[key] = bytes
      ? new THREE.DataTexture(new Uint8Array(4), 1, 1, THREE.RGBAFormat, THREE.UnsignedByteType)
      : new THREE.DataTexture(new Float32Array(4), 1, 1, THREE.RGBAFormat, THREE.FloatType);
    EMPTY[key].needsUpdate = true;
  }
  return EMPTY[key];
}

/** The tables of lanes that end per pixel, one under the other in one texture. */
export class Tables {
  readonly uniforms: Record<string, { value: unknown }> = {
    tables: { value: empty(false) },
    tableOf: { value: Array.from({ length: MOST_TABLES }, () => new THREE.Vector2(0, 0)) },
  };
  private readonly held = new Map<string, Float32Array>();

  /** Put a lane's table in place, rows of 64 texels; null takes it away. Says whether something changed. */
  set(channel: string, texels: Float32Array | null) {
    if (texels) this.held.set(channel, texels);
    else if (!this.held.delete(channel)) return;
    const rows = [...this.held.values()].map((table) => table.length / 256);
    const all = new Float32Array(Math.max(1, rows.reduce((a, b) => a + b, 0)) * 256);
    const places = this.uniforms.tableOf!.value as THREE.Vector2[];
    for (const place of places) place.set(0, 0);
    let first = 0;
    for (const [name, table] of this.held) {
      const k = slotOf(name)?.table ?? null;
      if (k !== null) places[k]!.set(first, table.length / 256);
      all.set(table, first * 256);
      first += table.length / 256;
    }
    const before = this.uniforms.tables!.value as THREE.DataTexture;
    if (before !== empty(false)) before.dispose();
    const texture = new THREE.DataTexture(all, 64, Math.max(1, first), THREE.RGBAFormat, THREE.FloatType);
    texture.needsUpdate = true;
    this.uniforms.tables!.value = texture;
  }
}
