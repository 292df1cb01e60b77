/** What jobs of import made, added to the scene. */
import type { ImportAnswer, SequenceMade } from "../../api/client";
import { addPopulation, edit, useStore } from "../../state/store";
import { population } from "./fresh";

const LONGEST = 100;

/** A file's name without its ending. */
export const stemOf = (name: string) => name.replace(/\.[^.]+$/, "").slice(0, LONGEST) || "Imported";

/** Add what was imported from a file. */
export function addImported({ file, things }: ImportAnswer) {
  const stem = stemOf(file);
  for (const thing of things) {
    const { scene } = useStore.getState();
    const name = things.length > 1 ? thing.name.slice(0, LONGEST) || stem : stem;
    if (scene) addPopulation(population(scene, name, thing.maker, thing.shape, thing.look));
  }
}

/** Add what moves; the timeline reaches all of its frames. */
export function addSequence({ name, maker, look, shape }: SequenceMade) {
  const { scene } = useStore.getState();
  if (!scene) return;
  addPopulation(population(scene, name.slice(0, LONGEST), maker, shape, look));
  const { first, last } = scene.timeline;
  if (maker.first >= first && maker.last <= last) return;
  edit("Reach all frames", (s) => ({ ...s, timeline: { ...s.timeline, first: Math.min(maker.first, first), last: Math.max(maker.last, last) } }));
}
