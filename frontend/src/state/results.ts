/** The results: arrays for the view by population, kept as they come, and the one subscriber that derives what to ask. */
import { binary, type EvaluationAnswer, type Packed, type PopulationDocument, type PopulationHeader, Refused, type StepCensus } from "../api/client";
import { EvaluationQueue, type Wanted } from "../api/evaluator";
import { type State, useStore } from "./base";
import { lookOf } from "./edits";
import type { Geometry } from "./results.slice";

const { setState: set, getState: get } = useStore;

type Array = Uint8Array | Float32Array | Int32Array;

/** What the page has of one population, by channel, and "groups" and "preview". */
interface Held {
  digest: string;
  array: Array;
}
const held = new Map<string, Map<string, Held>>();

/** Told before the page is drawn anew: new arrays have come for a population, asked for at that time. */
export type Receiver = (population: string, names: string[], asked: number) => void;
let receiver: Receiver | null = null;

export function receive(by: Receiver | null) {
  receiver = by;
}

/** An array of a population: a channel's values, "groups" or "preview"; undefined where there is none. */
export function arrayOf(population: string, name: string): Array | undefined {
  return held.get(population)?.get(name)?.array;
}

/** Put the arrays of an answer in their places; says which are new. */
function keep(id: string, answer: Packed<EvaluationAnswer>): string[] {
  const entry = answer.header.populations[id]!;
  const mine = held.get(id) ?? new Map<string, Held>();
  held.set(id, mine);
  const digests: Record<string, string> = { ...entry.lanes, groups: entry.groups.digest, ...(entry.preview ? { preview: "shown" } : {}) };
  const before = [...mine.keys()];
  for (const name of before) if (!(name in digests)) mine.delete(name);
  const fresh = before.filter((name) => !(name in digests));
  for (const [name, digest] of Object.entries(digests)) {
    const array = answer.arrays[`${id}/${name}`];
    if (!array) continue;
    mine.set(name, { digest, array });
    fresh.push(name);
  }
  return fresh;
}

/** Censuses of which only the digest came are those that the page has: the same objects, so that nothing is drawn anew for them. */
function merged(fresh: Record<string, StepCensus>, before: Record<string, StepCensus>): Record<string, StepCensus> {
  const known = new Map(Object.values(before).map((census) => [census.digest, census]));
  return Object.fromEntries(Object.entries(fresh).map(([place, census]) => [place, "kind" in census ? census : (known.get((census as StepCensus).digest) ?? census)]));
}

const queue = new EvaluationQueue({
  have: (id) => Object.fromEntries([...(held.get(id) ?? [])].filter(([name]) => name !== "preview").map(([name, { digest }]) => [name, digest])),
  known: (id) => Object.values(get().results[id]?.steps ?? {}).map(({ digest }) => digest),
  now: () => ({ scene: get().scene!, vision: get().vision }),
  done: (answer, ids, took) => {
    const asked = performance.now() - took;
    const { results, errors } = get();
    const fresh = { results: { ...results }, errors: { ...errors } };
    for (const id of ids) {
      const entry = answer.header.populations[id]!;
      if (entry.error) {
        const { code, sentence, place, fix } = entry.error;
        fresh.errors[id] = new Refused(422, code, sentence, place, fix);
        continue;
      }
      const names = keep(id, answer);
      fresh.results[id] = { ...entry, steps: merged(entry.steps, results[id]?.steps ?? {}) };
      fresh.errors[id] = null;
      // Colours go to the view as they come, before the panels are drawn anew.
      receiver?.(id, names, asked);
    }
    set(fresh);
  },
  failed: (error, ids) => set((s) => ({ errors: { ...s.errors, ...Object.fromEntries(ids.map((id) => [id, error])) } })),
});

// What to ask follows from the state: each population is asked for again when something that its answer depends on is another.

const asked = new Map<string, unknown[]>();

function same(one: unknown[] | undefined, other: unknown[]): boolean {
  return one !== undefined && one.length === other.length && one.every((part, k) => part === other[k]);
}

/** What is wanted of a population, and what its answer depends on. */
function wish(state: State, p: PopulationDocument): { wanted: Wanted; depends: unknown[] } {
  const scene = state.scene!;
  const chosen = p.id === state.chosen;
  const preview = chosen ? (state.preview ?? state.pinned) : null;
  const trace = chosen ? state.traced : null;
  const look = lookOf(scene, p);
  const depends = [look, p.maker, p.shape, p.shown, scene.dials, scene.signals, state.vision, state.frame, chosen, trace, preview];
  return { wanted: { trace, preview, census: chosen }, depends };
}

function derive(state: State) {
  if (!state.scene) return;
  const { chosen, scene } = state;
  const wishes: [string, Wanted][] = [];
  for (const p of scene.populations.toSorted((a, b) => Number(b.id === chosen) - Number(a.id === chosen))) {
    const { wanted, depends } = wish(state, p);
    if (!same(asked.get(p.id), depends)) {
      asked.set(p.id, depends);
      wishes.push([p.id, wanted]);
    }
    derivePlaces(state, p);
  }
  for (const id of asked.keys()) {
    if (scene.populations.some((p) => p.id === id)) continue;
    asked.delete(id);
    held.delete(id);
  }
  queue.ask(wishes);
}

/** Fetch the places of the elements where the maker is another one, or a dial that it follows was turned. */
function derivePlaces(state: State, p: PopulationDocument) {
  const maker = textOf(p.maker);
  const dials = maker.includes('{"dial":') ? state.scene!.dials : [];
  const key = dials.length > 0 ? `${maker} ${JSON.stringify(dials)}` : maker;
  if (places.get(p.id) === key) return;
  places.set(p.id, key);
  void make(p.id, key, { maker: p.maker, dials });
}
const places = new Map<string, string>();
const texts = new WeakMap<object, string>();

/** A maker as JSON, written once as long as it does not change. */
function textOf(maker: object): string {
  const text = texts.get(maker) ?? JSON.stringify(maker);
  texts.set(maker, text);
  return text;
}

async function make(id: string, key: string, body: object) {
  set((s) => ({ making: { ...s.making, [id]: true } }));
  try {
    const { header, arrays } = await binary<PopulationHeader>("POST", "/populations", body);
    if (places.get(id) !== key) return;
    const geometry: Geometry = {
      key,
      header,
      positions: arrays.positions as Float32Array,
      orientations: arrays.orientations as Float32Array,
      sizes: arrays.sizes as Float32Array,
    };
    const traced = get().traced;
    set((s) => ({
      geometry: { ...s.geometry, [id]: geometry },
      traced: s.chosen === id && traced !== null && traced >= header.count ? null : traced,
    }));
  } catch (error) {
    if (places.get(id) === key) set((s) => ({ errors: { ...s.errors, [id]: error as Refused } }));
  } finally {
    if (places.get(id) === key) set((s) => ({ making: { ...s.making, [id]: false } }));
  }
}

useStore.subscribe(derive);
