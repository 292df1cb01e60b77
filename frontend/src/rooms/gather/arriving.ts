/** What jobs of import made, added to the scene. */
import type { ImportAnswer, SequenceMade } from "../../api/client";
import { withPopulation } from "../../state/edits";
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

/** Add the first frame of what moves under an id, unless the sequence itself came sooner, which takes its place. */
export function addFirstFrame(name: string, id: string, { things }: ImportAnswer) {
  const { scene } = useStore.getState();
  const thing = things[0];
  if (!scene || !thing || scene.populations.some((p) => p.id === id)) return;
  addPopulation({ ...population(scene, name.slice(0, LONGEST), thing.maker, thing.shape, thing.look), id });
}

/** Add what moves, or put it in the place of its first frame; the timeline reaches all of its frames. */
export function addSequence({ name, maker, look, shape, into }: SequenceMade) {
  const { scene } = useStore.getState();
  if (!scene) return;
  const there = scene.populations.find((p) => p.id === into);
  if (there?.maker.maker === "import") edit(`All frames of ${name}`, (s) => withPopulation(s, into, (p) => ({ ...p, maker })));
  else {
    const added = population(scene, name.slice(0, LONGEST), maker, shape, look);
    addPopulation(there || !into ? added : { ...added, id: into });
  }
  const { first, last } = scene.timeline;
  if (maker.first >= first && maker.last <= last) return;
  edit("Reach all frames", (s) => ({ ...s, timeline: { ...s.timeline, first: Math.min(maker.first, first), last: Math.max(maker.last, last) } }));
}
