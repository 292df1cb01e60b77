/** What draws one population. One drawer for each way to draw; the kind of the population says which. */
import type * as THREE from "three";
import type { Geometry } from "../../state/results.slice";
import type { Shape } from "../shapes";

export type Shading = "finished" | "flat";
/** Of the surround: what stands aside, in linear light and as bytes. */
export interface Aside {
  linear: THREE.Color;
  bytes: number;
}

export interface Drawer {
  /** What is put into the scene. */
  readonly object: THREE.Object3D;
  /** The box around all elements. */
  readonly box: THREE.Box3;
  readonly positions: Float32Array;
  /** About how large an element is. */
  readonly size: number;
  /** Whether these places and this shape are what it draws. */
  draws(geometry: Geometry, shape: Shape): boolean;
  /** Put a channel's values in place, or take them away; "groups" are the groups, "preview" colours instead of the result. */
  setLane(name: string, values: ArrayLike<number> | null): void;
  /** Where it stands in the scene, 16 numbers column by column; says whether that is another place. */
  place(matrix: number[]): boolean;
  /** Where an element stands in the scene. */
  placeOf(element: number): THREE.Vector3 | null;
  /** The way out of the surface at an element, in the scene; null where none is known. */
  normalOf(element: number): THREE.Vector3 | null;
  /** Single out a group; with the owners of the elements, the one of that number. */
  isolate(group: number | null, owners?: ArrayLike<number> | null): void;
  setShading(shading: Shading): void;
  setAside(aside: Aside): void;
  /** Draw element numbers, with this number for the population; null draws as before. */
  setPicking(population: number | null): void;
  dispose(): void;
}
