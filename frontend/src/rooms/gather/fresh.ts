/** Beginnings for new populations. */
import type { Look, PopulationDocument, Scene, Step } from "../../api/client";
import { someSeed } from "../../chain/seeds";
import { free } from "../../state/edits";
import { addPopulation, useStore } from "../../state/store";

export function freeId(scene: Scene, name: string): string {
  const base = name.toLowerCase().replace(/[^a-z0-9]+/g, "-").replace(/^-|-$/g, "").slice(0, 30) || "population";
  return free(base, scene.populations.map((p) => p.id), "-");
}

/** A population as it is added, standing where it was made and whole in the view. */
export function population(scene: Scene, name: string, maker: PopulationDocument["maker"], shape: PopulationDocument["shape"], look: Look): PopulationDocument {
  return {
    id: freeId(scene, name), name, maker, look, wears: null, shape, shown: true,
    place: { position: [0, 0, 0], turn: [0, 0, 0], size: 1 },
    painted: [],
    muted: [],
    draft: { count: null, every: 1, subdivision: null },
  };
}

/** One more population made as another one is, beside it, with its look or a first one. */
export function duplicatePopulation(id: string, withLook: boolean) {
  const { scene, geometry } = useStore.getState();
  const from = scene?.populations.find((p) => p.id === id);
  if (!scene || !from) return;
  const name = free(from.name, scene.populations.map((p) => p.name), " ");
  const header = geometry[id]?.header;
  const size = typeof from.place.size === "number" ? from.place.size : 1;
  const across = header ? 1.1 * size * (header.high[0]! - header.low[0]!) : 0;
  const [x, ...rest] = from.place.position;
  const position = [typeof x === "number" ? Number((x + across).toPrecision(6)) : x, ...rest] as typeof from.place.position;
  const own = withLook ? { look: from.look, wears: from.wears } : { look: firstLook(from.maker.maker), wears: null };
  addPopulation({ ...from, ...own, id: freeId(scene, name), name, place: { ...from.place, position } });
}

/** What a population of a maker looks like at first, each chance of its own. */
export function firstLook(maker: string): Look {
  const look = useStore.getState().makers.find(({ name }) => name === maker)!.look as Look;
  const seeded = (step: Step): Step => ("seed" in step ? { ...step, seed: someSeed() } : step);
  const lanes = Object.entries(look.lanes).map(([channel, lane]) => [channel, { ...lane, layers: lane.layers.map((layer) => ({ ...layer, paint: layer.paint.map(seeded) })) }]);
  return { ...look, lanes: Object.fromEntries(lanes) };
}
