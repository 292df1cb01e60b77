/** What the materials of a population read beside its values: finishes, opacity, offset, and the picture on a shape. */
import * as THREE from "three";
import type { FinishOf, Material } from "../api/client";
import { ElementValues, Tables } from "./values";

/** Pixels that what is drawn next is high. */
export const frameHeight = { value: 800 };

export const MOST_FINISHES = 8;

/** What a drawer's materials share: its elements' values, what is singled out, finishes, and how offset and opacity go. */
export interface Shared {
  values: ElementValues;
  tables: Tables;
  uniforms: Record<string, { value: unknown }>;
}

export function shared(count: number): Shared {
  const values = new ElementValues(count);
  const tables = new Tables();
  const own = {
    frameHeight,
    isolated: { value: -1 },
    /** What is dimmed, in linear light for the finished look and as bytes for the exact one. */
    dimmed: { value: new THREE.Color(0.1, 0.1, 0.1) },
    bytes: { value: new THREE.Color(0.35, 0.35, 0.35) },
    /** Whether a value is shown in place of the result: then nothing else of the material is. */
    plain: { value: 0 },
    threshold: { value: -1 },
    /** 0 along the normal, 1 up, 2 by a vector of each element. */
    along: { value: 0 },
    up: { value: new THREE.Vector3(0, 0, 1) },
    /** Moves the pattern by which elements are seen through. */
    pass: { value: 0 },
    /** About how large an element is, for how deep light goes below its surface. */
    scale: { value: 1 },
    finishUnit: { value: vectors4([0, 0.3, 0, 0]) },
    finishMore: { value: vectors4([1, 0, 0.05, 1]) },
    finishGlow: { value: Array.from({ length: MOST_FINISHES }, () => new THREE.Vector3(1, 1, 1)) },
    finishUnder: { value: Array.from({ length: MOST_FINISHES }, () => new THREE.Vector3(1, 1, 1)) },
  };
  return { values, tables, uniforms: { ...values.uniforms, ...tables.uniforms, ...own } };
}

function vectors4(of: [number, number, number, number]): THREE.Vector4[] {
  return Array.from({ length: MOST_FINISHES }, () => new THREE.Vector4(...of));
}

/** A level of the display in linear light (IEC 61966-2-1). */
const decoded = (level: number) => (level <= 0.04045 ? level / 12.92 : ((level + 0.055) / 1.055) ** 2.4);

/** Put what an answer says of finishes, opacity and offset in place. */
export function setMaterial({ uniforms }: Shared, { finishes, threshold, along, up }: Material) {
  const [unit, more, glow, under] = ["finishUnit", "finishMore", "finishGlow", "finishUnder"].map((name) => uniforms[name]!.value);
  for (let k = 0; k < MOST_FINISHES; k++) {
    const f: FinishOf = finishes[Math.min(k, finishes.length - 1)]!;
    const colour = f.subsurface_colour ?? [0, 0, 0];
    (unit as THREE.Vector4[])[k]!.set(f.metalness[0]!, f.roughness[0]!, f.transmission[0]!, f.subsurface[0]!);
    (more as THREE.Vector4[])[k]!.set(f.opacity[0]!, f.emission_strength[0]!, f.subsurface_radius[0]!, f.subsurface_colour ? 0 : 1);
    // In linear light, worked out once; what follows the base colour adds nothing of its own.
    (glow as THREE.Vector3[])[k]!.fromArray(f.emission_colour.map(decoded));
    (under as THREE.Vector3[])[k]!.fromArray(colour.map(decoded));
  }
  uniforms.threshold!.value = threshold ?? -1;
  uniforms.along!.value = { normal: 0, up: 1, ways: 2 }[along];
  (uniforms.up!.value as THREE.Vector3).fromArray(up);
}

/** What belongs to one shape: its size, and the picture on it. */
export type OfShape = Record<"shapeSize" | "pictures" | "usesPicture" | "into" | "cuts" | "cutBelow" | "through", { value: unknown }>;

const NO_PICTURE = new THREE.DataArrayTexture(new Uint8Array(8).fill(255), 1, 1, 2);

NO_PICTURE.needsUpdate = true;

export function ofShape(): OfShape {
  return {
    shapeSize: { value: 1 },
    pictures: { value: NO_PICTURE },
    usesPicture: { value: 0 },
    into: { value: new THREE.Matrix3() },
    cuts: { value: 0 },
    cutBelow: { value: 0.5 },
    through: { value: 1 },
  };
}

export function setPicture(of: OfShape, picture: Material["shapes"][number]["picture"], texture: THREE.DataArrayTexture | null) {
  of.pictures.value = texture ?? NO_PICTURE;
  of.usesPicture.value = picture && texture ? 1 : 0;
  of.cuts.value = picture?.cut && texture ? 1 : 0;
  of.cutBelow.value = picture?.threshold ?? 0.5;
  of.through.value = picture?.through ?? 1;
  const [a, b, c, d, e, f] = picture?.into ?? [1, 0, 0, 0, 1, 0];
  (of.into.value as THREE.Matrix3).set(a!, b!, c!, d!, e!, f!, 0, 0, 1);
}
