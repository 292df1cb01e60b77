/** The selection: which population, chain, step and stop are chosen, and what is picked out of the elements. */
import type { AttributeCensus, PopulationDocument } from "../api/client";
import { NONE, type State, useStore } from "./base";
import { BASE_COLOUR, chainAt, channelOf, type LookInScene, layerOf, layersOf, lookOf, paintOf, signalAt, stackOf } from "./edits";

const { setState: set, getState: get } = useStore;

export function chosenPopulation(state: State): PopulationDocument | null {
  return state.scene?.populations.find((p) => p.id === state.chosen) ?? null;
}

const listed = new Map<string, { made: unknown; painted: unknown; found: AttributeCensus[] }>();

/** What the elements of a population carry: what was made, and its painted columns; the same array as long as both are. */
export function attributesOf(state: State, id: string = state.chosen): AttributeCensus[] {
  const header = state.geometry[id]?.header;
  const painted = state.scene?.populations.find((p) => p.id === id)?.painted ?? (NONE as PopulationDocument["painted"]);
  if (!header) return NONE as AttributeCensus[];
  if (painted.length === 0) return header.attributes;
  const before = listed.get(id);
  // A stroke changes what is in a column, not what there is.
  const named = painted.map((p) => p.name + p.kind).join();
  if (before?.made === header.attributes && before.painted === named) return before.found;
  const level = header.levels[0]?.name ?? "";
  const columns = painted.map(({ name, kind }): AttributeCensus => ({ name, kind, level, width: kind === "number" ? 1 : 3, census: null, parts: [], texts: 0, derived: false, unreadable: 0, role: "" }));
  const found = [...header.attributes.filter((a) => !painted.some((p) => p.name === a.name)), ...columns];
  listed.set(id, { made: header.attributes, painted: named, found });
  return found;
}

let desk: { look: object; signals: object; found: LookInScene } | null = null;

/** The look that the chosen population wears, with what the scene shares; the same object as long as both are. */
export function chosenLook(state: State): LookInScene | null {
  const population = chosenPopulation(state);
  if (!state.scene || !population) return null;
  const look = lookOf(state.scene, population);
  const { signals } = state.scene;
  if (desk?.look !== look || desk.signals !== signals) desk = { look, signals, found: { ...look, scene: { signals } } };
  return desk.found;
}

/** Keep what is chosen within what there is. */
export function settle() {
  const state = get();
  const look = chosenLook(state);
  let chain = state.chain;
  let step = state.step;
  if (look && !chainAt(look, chain)) {
    const signal = signalAt(look, chain);
    // A layer that is gone gives way to the next one of its stack, the last one of a signal to its own chain.
    const stack = signal || channelOf(stackOf(chain)) !== null ? stackOf(chain) : BASE_COLOUR;
    const layers = layersOf(look, stack);
    const layer = Math.max(0, Math.min(layerOf(chain) ?? 0, layers.length - 1));
    chain = layers.length === 0 && signal ? `${stack}.chain` : paintOf(layer, stack);
    step = null;
  }
  const steps = look ? (chainAt(look, chain) ?? []) : [];
  if (step === null || step >= steps.length) {
    const ramp = steps.findIndex((s) => s.step === "ramp" || s.step === "palette");
    step = steps.length === 0 ? null : ramp >= 0 ? ramp : 0;
  }
  const opened = step === null ? undefined : steps[step];
  const stop = opened?.step === "ramp" ? Math.min(state.stop, opened.stops.length - 1) : 0;
  set({ chain, step, stop });
}

export function choosePopulation(id: string) {
  if (id === get().chosen) return;
  set({ chosen: id, chain: paintOf(0), step: null, stop: 0, isolated: null, part: null, traced: null, followed: null, preview: null, pinned: null });
  settle();
}

export function chooseChain(chain: string, step: number | null = null) {
  set({ chain, step, stop: 0 });
  settle();
}

export function chooseStep(step: number, stop = 0) {
  set({ step, stop });
}

export function isolate(group: number | null) {
  if (get().isolated !== group) set({ isolated: group });
}

/** Single out a part of the chosen population; null none. */
export function isolatePart(part: number | null) {
  set({ part });
}

/** Trace an element of the chosen population. */
export function trace(element: number | null) {
  set({ traced: element, followed: null });
}

/** The longest side of the box around the chosen population; `unknown` while it has not come. */
export function longestSide(unknown: number): number {
  const header = get().geometry[get().chosen]?.header;
  return header ? Math.max(...header.high.map((high, k) => high - header.low[k]!)) : unknown;
}
