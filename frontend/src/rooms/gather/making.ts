/** New populations by makers. */
import type { MakerDescription, PopulationDocument } from "../../api/client";
import type { Property } from "../../chain/Parameters";
import { free } from "../../state/edits";
import { addPopulation, goTo, useStore } from "../../state/store";
import { focusOn } from "../../widgets/focus";
import { firstLook, population } from "./fresh";

/** A new population by a maker that is offered: with the core's defaults, or a named beginning of the maker. */
export function newPopulation(maker: MakerDescription, beginning: Record<string, unknown> = {}, named = maker.title) {
  const { scene } = useStore.getState();
  if (!scene) return;
  const name = free(named, scene.populations.map((p) => p.name), " ");
  const properties = (maker.parameters.properties ?? {}) as Record<string, Property>;
  const defaults = Object.entries(properties).flatMap(([key, of]) => (of.default === undefined ? [] : [[key, of.default]]));
  const made = { maker: maker.name, ...Object.fromEntries(defaults), ...maker.begins, ...beginning, ...below(properties) } as PopulationDocument["maker"];
  const fresh = population(scene, name, made, "sequin", firstLook(maker.name));
  // What stands on another one is where that is; all else goes beside what is there, not inside it.
  addPopulation("on" in made && made.on && made.maker !== "trails" ? fresh : { ...fresh, place: { ...fresh.place, position: [beside(), 0, 0] } });
  // What is born is seen a second later.
  if (made.maker === "emission") goTo(Math.max(useStore.getState().frame, Math.min(...made.sources.map((s) => s.begin)) + Math.round(scene.timeline.rate)));
  focusOn(`[aria-label="Population"] input`);
}

/** Where along x something new about as large as a unit stands free of all that is shown. */
function beside(): number {
  const { scene, geometry, results } = useStore.getState();
  const ends = (scene?.populations ?? []).flatMap((p) => {
    const header = geometry[p.id]?.header;
    const into = results[p.id]?.placement;
    if (!header || !into) return [];
    const corners = [0, 1, 2, 3, 4, 5, 6, 7].map((k) => [0, 1, 2].map((axis) => ((k >> axis) & 1 ? header.high : header.low)[axis]!));
    return corners.map(([x, y, z]) => into[0]! * x! + into[4]! * y! + into[8]! * z! + into[12]!);
  });
  return ends.length === 0 ? 0 : Number((Math.max(...ends) + 1.4).toPrecision(3));
}

/** What a new population is put onto: the mesh or the strands that are chosen, whichever the maker takes; what must stand on strands, on any. */
function below(properties: Record<string, Property>): { on?: string } {
  const { scene, chosen, geometry } = useStore.getState();
  const wanted = properties.on?.control === "origin" ? "particles" : properties.on?.control;
  const fits = (id: string) => wanted !== undefined && geometry[id]?.header.kind === wanted;
  const on = fits(chosen) ? chosen : wanted === "strands" || wanted === "particles" ? scene?.populations.find((p) => fits(p.id))?.id : undefined;
  return on ? { on } : {};
}

