/** The drawers by the word that a kind of population names. */
import type { Geometry } from "../../state/results.slice";
import type { Quality } from "../quality";
import type { Drawer, Drawn, Way } from "./drawer";
import { Instances } from "./instances";
import { Ribbons } from "./ribbons";
import { Soft } from "./soft";
import { Surface } from "./surface";
import { Tubes } from "./tubes";

const DRAWERS: Record<string, new (geometry: Geometry, shapes: Drawn[], quality: Quality) => Drawer> = { instances: Instances, surface: Surface, ribbons: Ribbons };

export function drawerOf(geometry: Geometry, shapes: Drawn[], quality: Quality, way: Way | null = null): Drawer {
  if (way) return new Soft(geometry, quality, way);
  const Kind = geometry.arrays.section ? Tubes : DRAWERS[geometry.header.drawn];
  if (!Kind) throw new Error(`The view has no way to draw ${geometry.header.drawn}.`);
  return new Kind(geometry, shapes, quality);
}
