/** What draws one population. One drawer for each way to draw; the kind of the population says which. */
import type * as THREE from "three";
import type { Material } from "../../api/client";
import type { Geometry } from "../../state/results.slice";

export type Shading = "finished" | "flat";
/** How particles are drawn without a shape. */
export type Way = "glow" | "haze";
/** Of the surround: what is dimmed, in linear light and as bytes. */
export interface Dimmed {
  linear: THREE.Color;
  bytes: number;
}

/** A shape as it is drawn: under which key it was asked for, and its vertices. */
export interface Drawn {
  key: string;
  geometry: THREE.BufferGeometry;
}

/** Uniforms: colours and groups of the elements as a texture, the group that is singled out, and the colour of the others. */
export type Recolouring = Record<"tints" | "isolated" | "dimmed", { value: unknown }>;

export interface Drawer {
  /** What is put into the scene. */
  readonly object: THREE.Object3D;
  /** Whether it stands on the ground. */
  readonly solid: boolean;
  /** Whether it casts the sun's shadow. */
  readonly casts: boolean;
  /** The box around all elements. */
  readonly box: THREE.Box3;
  readonly positions: Float32Array;
  /** About how large an element is. */
  readonly size: number;
  /** Whether some of it is seen through by a pattern. */
  readonly seenThrough: boolean;
  /** Whether these places and these shapes are what it draws. */
  draws(geometry: Geometry, shapes: Drawn[], way: Way | null): boolean;
  /** Put values in place, or take them away: a channel's; "groups"; "preview" colours instead of the result; and what goes with channels. */
  setLane(name: string, values: ArrayLike<number> | null): void;
  /** Finishes, pictures, and how offset and opacity go; textures of pictures by the shapes' numbers. Says whether that is new. */
  setMaterial(material: Material, pictures: (THREE.DataArrayTexture | null)[]): boolean;
  /** Where it stands in the scene, 16 numbers column by column; says whether that is another place. */
  place(matrix: number[]): boolean;
  /** Where an element stands in the scene. */
  placeOf(element: number): THREE.Vector3 | null;
  /** The way out of the surface at an element, in the scene; null where none is known. */
  normalOf(element: number): THREE.Vector3 | null;
  /** Single out a group; with the owners of the elements, the one of that number. */
  isolate(group: number | null, owners?: ArrayLike<number> | null): void;
  setShading(shading: Shading): void;
  setDimmed(dimmed: Dimmed): void;
  /** Move the pattern by which elements are seen through; pictures that are saved are means of many. */
  setPass(pass: number): void;
  /** Where other colours can be shown without drawing its elements: what they are looked up in, and what is dimmed; else null. */
  readonly recolouring: Recolouring | null;
  /** Draw numbers of elements and their light in place of colours, until told not to. */
  setMarking(on: boolean): void;
  /** Draw element numbers, with this number for the population; null draws as before. */
  setPicking(population: number | null): void;
  dispose(): void;
}
