/** The results: arrays for the view by population, kept as they come, and the one subscriber that derives what to ask. */
import { binary, type EvaluationHeader, type Material, type Packed, type PopulationDocument, type PopulationHeader, type Reads, Refused, type Report, type Seen, type StepCensus, type Scene, folded, textOf } from "../api/client";
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

/** Told before the page is drawn anew: arrays have come for a population; the colours with when they were asked for. */
export type Receiver = (population: string, names: string[], asked: number | null) => void;
let receiver: Receiver | null = null;

export function receive(by: Receiver | null) {
  receiver = by;
}

/** An array of a population: a channel's values, "groups" or "preview"; undefined where there is none. */
export function arrayOf(population: string, name: string): Array | undefined {
  return held.get(population)?.get(name)?.array;
}

/** Keep the arrays of a population that have come, by their names and digests. */
function keep(id: string, answer: Packed<unknown>, digests: Record<string, string>): string[] {
  const mine = held.get(id) ?? new Map<string, Held>();
  held.set(id, mine);
  const fresh: string[] = [];
  for (const [name, digest] of Object.entries(digests)) {
    const array = answer.arrays[`${id}/${name}`];
    if (!array) continue;
    mine.set(name, { digest, array });
    fresh.push(name);
  }
  return fresh;
}

/** Forget the lanes and the value that a population has no longer; says which those were. */
function drop(id: string, there: string[]): string[] {
  const mine = held.get(id);
  const gone = [...(mine?.keys() ?? [])].filter((name) => name !== "groups" && !there.includes(name));
  for (const name of gone) mine?.delete(name);
  return gone;
}

/** What was seen of each population and waits for what is told of it. */
const seen = new Map<string, Seen & Pick<EvaluationHeader, "sent">>();

/** Where a population stands in the scene, as it was seen last. */
export const placementOf = (id: string) => seen.get(id)?.placement ?? get().results[id]?.placement;

/** The material of a population, as it was seen last. */
export const materialOf = (id: string): Material | undefined => seen.get(id)?.material ?? get().results[id]?.material;

/** Whether more is to be told of a population whose colours have come. */
export const awaited = (id: string) => seen.has(id);

/** Censuses of which only the digest came are those that the page has: the same objects, so that nothing is drawn anew for them. */
function merged(fresh: Report["steps"], before: Record<string, StepCensus>): Record<string, StepCensus> {
  const known = new Map(Object.values(before).map((census) => [census.digest, census]));
  return Object.fromEntries(Object.entries(fresh).map(([place, census]) => [place, ("kind" in census ? undefined : known.get(census.digest)) ?? (census as StepCensus)]));
}

const queue = new EvaluationQueue({
  have: (id) => Object.fromEntries([...(held.get(id) ?? [])].filter(([name]) => name !== "preview").map(([name, { digest }]) => [name, digest])),
  known: (id) => Object.values(get().results[id]?.steps ?? {}).map(({ digest }) => digest),
  now: () => ({ scene: get().scene!, vision: get().vision, frame: get().frame }),
  seen: (answer, ids, took, frame, scene) => {
    set({ shownFrame: frame, moment: answer.header.moment });
    const asked = performance.now() - took;
    for (const id of ids) {
      const entry = answer.header.populations[id]!;
      fetchMade(id, entry.made);
      learnt(id, entry.reads, scene);
      if (entry.error) {
        seen.delete(id);
        const { code, sentence, place, fix, kinds } = entry.error;
        set((s) => ({ errors: { ...s.errors, [id]: new Refused(422, code, sentence, place, fix, kinds) } }));
        receiver?.(id, [], null);
        continue;
      }
      const digests = { ...entry.lanes, ...entry.material.also, ...(entry.preview ? { preview: "shown" } : {}) };
      const gone = drop(id, Object.keys(digests));
      const sent = keep(id, answer, digests);
      const names = [...gone, ...sent];
      seen.set(id, { ...entry, sent });
      // Into the view as it comes, while the core still counts and before the panels are drawn anew.
      receiver?.(id, names, asked);
    }
  },
  told: (answer, ids) => {
    const { results, errors } = get();
    const fresh = { results: { ...results }, errors: { ...errors } };
    for (const id of ids) {
      const report = answer.header.populations[id]!;
      const names = keep(id, answer, { groups: report.groups.digest });
      fresh.results[id] = { ...seen.get(id)!, ...report, steps: merged(report.steps, results[id]?.steps ?? {}) };
      fresh.errors[id] = null;
      // What was seen is what counts until the results are those of this answer.
      receiver?.(id, names, null);
      seen.delete(id);
    }
    set({ ...fresh, ...follow(fresh.results[get().chosen]) });
  },
  failed: (error, ids, scene) => {
    // A look that cannot run hides what it stands on no less: its elements are asked for all the same.
    for (const id of ids) {
      learnt(id, null, scene);
      const maker = textOf(get().scene!.populations.find((p) => p.id === id)?.maker ?? {});
      if (error.status === 422 || error.status === 400) fetchMade(id, `of ${maker}`);
    }
    set((s) => ({ errors: { ...s.errors, ...Object.fromEntries(ids.map((id) => [id, error])) } }));
  },
});

/** The element that is traced goes on being itself where others come and go before it. */
function follow(result: { trace: { element: number; id: number } | null } | undefined): { traced?: number; followed?: number } {
  const { traced, geometry, chosen } = get();
  if (traced === null || !result?.trace || geometry[chosen]?.header.kind !== "particles") return {};
  // Known before it is set, so that nothing is asked for anew.
  const before = asked.get(chosen);
  if (before) asked.set(chosen, { ...before, traced: result.trace.id });
  return { traced: result.trace.element, followed: result.trace.id };
}

/** Resolves once the view has the newest colours, or after so many milliseconds. */
export const coloursSeen = (most: number) => queue.quiet(most);

// What to ask follows from the state: each population is asked for again when something that its answer depends on is another.

/** What was asked of each population: its own part of what the answer depends on, what lies in other places of the scene, and which element is traced. */
const asked = new Map<string, { own: unknown[]; around: unknown[]; traced: number | null }>();
/** By the core's last answer what each population depends on beside its own document; nothing while that is not known. */
const reading = new Map<string, Reads>();

function same(one: unknown[] | undefined, other: unknown[]): boolean {
  return one !== undefined && one.length === other.length && one.every((part, k) => part === other[k]);
}

/** What is wanted of a population, and what its answer depends on. */
function wish(state: State, p: PopulationDocument): { wanted: Wanted; own: unknown[]; around: unknown[]; traced: number | null } {
  const scene = state.scene!;
  const chosen = p.id === state.chosen;
  const preview = chosen ? (state.preview ?? state.pinned) : null;
  const trace = chosen ? state.traced : null;
  const followed = chosen ? state.followed : null;
  const own = [lookOf(scene, p), p.maker, p.place, p.draft, p.painted, p.shape, p.shown, scene.dials, scene.signals, scene.timeline, state.vision, state.results[p.id]?.timed === false ? null : state.frame, chosen, preview, state.weigh];
  return { wanted: { trace, trace_id: followed, preview, census: chosen, weigh: state.weigh }, own, around: around(scene, p.id), traced: trace === null ? null : (followed ?? trace) };
}

/** Among the names that were read: whatever there is. */
const ALL = "*";

/** What a population's answer depends on beside its own document; all that there is while the core has not said what it reads. */
function around(scene: Scene, id: string): unknown[] {
  const reads = reading.get(id);
  const others = scene.populations.filter((p) => p.id !== id && (!reads || reads.populations.includes(p.id)));
  const assets = scene.assets.filter(({ name }) => !reads || reads.assets.includes(name));
  const markers = scene.markers.filter(({ name }) => !reads || reads.markers.includes(name) || reads.markers.includes(ALL));
  return [...others.flatMap((p) => [p.id, p.maker, p.place, p.painted, lookOf(scene, p)]), ...assets, ...markers];
}

/** Note what an answer says that it depended on, in the scene that was asked: what has changed there since is asked for again. */
function learnt(id: string, reads: Reads | null, scene: Scene) {
  if (JSON.stringify(reads) === JSON.stringify(reading.get(id) ?? null)) return;
  if (reads) reading.set(id, reads);
  else reading.delete(id);
  const before = asked.get(id);
  if (before) asked.set(id, { ...before, around: around(scene, id) });
}

function derive(state: State) {
  if (!state.scene) return;
  const { chosen, scene } = state;
  const wishes: [string, Wanted][] = [];
  for (const p of scene.populations.toSorted((a, b) => Number(b.id === chosen) - Number(a.id === chosen))) {
    const { wanted, own, around, traced } = wish(state, p);
    const before = asked.get(p.id);
    if (!same(before?.own, own) || !same(before?.around, around) || before?.traced !== traced) {
      asked.set(p.id, { own, around, traced });
      wishes.push([p.id, wanted]);
    }
  }
  for (const id of asked.keys()) {
    if (scene.populations.some((p) => p.id === id)) continue;
    asked.delete(id);
    reading.delete(id);
    held.delete(id);
    wantedMade.delete(id);
  }
  queue.ask(wishes);
}

/** Fetch what the view wants of a population where something else is made of it now. */
function fetchMade(id: string, made: string) {
  if (!made || wantedMade.get(id) === made) return;
  wantedMade.set(id, made);
  void make(id, made);
}
const wantedMade = new Map<string, string>();

async function make(id: string, made: string) {
  set((s) => ({ making: { ...s.making, [id]: true } }));
  try {
    const { header, arrays } = await binary<PopulationHeader>("POST", "/populations", { scene: folded(get().scene!), population: id, frame: get().frame });
    if (wantedMade.get(id) !== made) return;
    const geometry: Geometry = { key: header.made, header, positions: arrays.positions as Float32Array, arrays };
    const { traced, followed } = get();
    set((s) => ({
      geometry: { ...s.geometry, [id]: geometry },
      traced: s.chosen === id && traced !== null && followed === null && traced >= header.count ? null : traced,
    }));
  } catch (error) {
    if (wantedMade.get(id) === made) {
      wantedMade.delete(id);
      set((s) => ({ errors: { ...s.errors, [id]: error as Refused } }));
    }
  } finally {
    if ((wantedMade.get(id) ?? made) === made) set((s) => ({ making: { ...s.making, [id]: false } }));
  }
}

useStore.subscribe(derive);
