/** The drawers by the word that a kind of population names. */
import type { Geometry } from "../../state/results.slice";
import type { Drawer, Drawn } from "./drawer";
import { Instances } from "./instances";
import { Surface } from "./surface";

const DRAWERS: Record<string, new (geometry: Geometry, shapes: Drawn[], most: number) => Drawer> = { instances: Instances, surface: Surface };

export function drawerOf(geometry: Geometry, shapes: Drawn[], most: number): Drawer {
  const Kind = DRAWERS[geometry.header.drawn];
  if (!Kind) throw new Error(`The view has no way to draw ${geometry.header.drawn}.`);
  return new Kind(geometry, shapes, most);
}
