/** Pure edits of documents. */
import { produce } from "immer";
import type { Lane, Layer, Look, PatchOperation, PopulationDocument, Ramp, Scene, Signal, Step } from "../api/client";
import { at, parsePath, type Path, pathText, withAt } from "./paths";

export { at, withAt };

/** A name that is not taken: `base`, else `base 2` and so on. */
export function free(base: string, taken: string[], between: string): string {
  let name = base;
  for (let k = 2; taken.includes(name); k++) name = `${base}${between}${k}`;
  return name;
}

export function withPopulation(scene: Scene, id: string, edit: (p: PopulationDocument) => PopulationDocument): Scene {
  return { ...scene, populations: scene.populations.map((p) => (p.id === id ? edit(p) : p)) };
}

/** A look with what the scene shares beside it, so that one path leads to either: "signals[0]", "scene.signals[0]". */
export type LookInScene = Look & { scene: { signals: Signal[] } };

/** The look that a population wears: its own, or one of the scene's. */
export function lookOf(scene: Scene, population: PopulationDocument): Look {
  return scene.looks.find((shared) => shared.name === population.wears)?.look ?? population.look;
}

/** The scene with the look that a population wears changed, wherever it lives, and what it shares with the scene. */
export function withLook(scene: Scene, id: string, change: (look: LookInScene) => Look): Scene {
  const population = scene.populations.find((p) => p.id === id);
  if (!population) return scene;
  const { scene: shared, ...look } = change({ ...lookOf(scene, population), scene: { signals: scene.signals } }) as LookInScene;
  const signals = shared?.signals ?? scene.signals;
  const found = signals === scene.signals ? scene : { ...scene, signals };
  if (population.wears === null) return withPopulation(found, id, (p) => ({ ...p, look }));
  return { ...found, looks: found.looks.map((kept) => (kept.name === population.wears ? { ...kept, look } : kept)) };
}

// Layers stand over a lane or over a signal's chain. Such a stack is addressed by its path in the look, "lanes.base_colour"
// or "signals[1]", and so is a chain: "lanes.base_colour.layers[0].paint", "signals[1].chain", "signals[1].chain[2].chains[0]".

export const BASE_COLOUR = "lanes.base_colour";

export const laneStack = (channel: string) => `lanes.${channel}`;

export function laneOf(look: Look, stack: string): Lane | undefined {
  return at(look, stack) as Lane | undefined;
}

/** The channel of a stack, or null for that of a signal. */
export function channelOf(stack: string): string | null {
  const keys = parsePath(stack) ?? [];
  return keys[0] === "lanes" ? String(keys[1]) : null;
}

export function layersOf(look: Look, stack = BASE_COLOUR): Layer[] {
  return (at(look, `${stack}.layers`) as Layer[] | undefined) ?? [];
}

/** A lane that begins. */
export const FRESH_LANE: Lane = { enabled: true, layers: [], choose: "share", among: null, seed: 1, threshold: null, along: "normal" };

/** The look with other layers on a stack; a lane that was not there begins with them. */
export function withLayers(look: Look, layers: Layer[], stack = BASE_COLOUR): Look {
  const channel = channelOf(stack);
  if (channel !== null && !look.lanes[channel]) return { ...look, lanes: { ...look.lanes, [channel]: { ...FRESH_LANE, layers } } };
  return withAt(look, `${stack}.layers`, layers);
}

export function withLayer(look: Look, index: number, edit: (layer: Layer) => Layer, stack = BASE_COLOUR): Look {
  return withLayers(
    look,
    layersOf(look, stack).map((layer, k) => (k === index ? edit(layer) : layer)),
    stack,
  );
}

export function paintOf(layer: number, stack = BASE_COLOUR): string {
  return `${stack}.layers[${layer}].paint`;
}

export function maskOf(layer: number, stack = BASE_COLOUR): string {
  return `${stack}.layers[${layer}].mask`;
}

/** The stack of a signal: of the look's own by its number, of the scene's by its number with `shared`. */
export function signalStack(index: number, shared = false): string {
  return shared ? `scene.signals[${index}]` : `signals[${index}]`;
}

export function signalChain(index: number, shared = false): string {
  return `${signalStack(index, shared)}.chain`;
}

export function chainAt(look: Look, chain: string): Step[] | null {
  const found = at(look, chain);
  return Array.isArray(found) ? (found as Step[]) : null;
}

export function withChain(look: Look, chain: string, to: (steps: Step[]) => Step[]): Look {
  return withAt(look, chain, to(chainAt(look, chain) ?? []));
}

export function withStep(look: Look, chain: string, index: number, step: Step): Look {
  return withChain(look, chain, (steps) => steps.map((s, k) => (k === index ? step : s)));
}

export function moved<T>(list: T[], from: number, to: number): T[] {
  const rest = list.filter((_, k) => k !== from);
  return [...rest.slice(0, to), list[from] as T, ...rest.slice(to)];
}

export function placeOf(chain: string, step: number): string {
  return `${chain}[${step}]`;
}

/** How many of the first keys lead to a chain, for each chain on the way, the outermost first. */
function chainsOn(keys: Path): number[] {
  return keys.flatMap((key, k) => {
    if (key === "paint" || key === "mask" || key === "chain") return [k + 1];
    return key === "chains" && typeof keys[k + 1] === "number" ? [k + 2] : [];
  });
}

/** The innermost chain and step that a place lies in. */
export function parsePlace(place: string): { chain: string; step: number } | null {
  const keys = parsePath(place) ?? [];
  const end = chainsOn(keys).at(-1);
  if (end === undefined) return null;
  const step = keys[end];
  return { chain: pathText(keys.slice(0, end)), step: typeof step === "number" ? step : 0 };
}

/** How many of the first keys lead to the stack that a path lies in. */
const stackKeys = (keys: Path) => (keys[0] === "scene" ? 3 : 2);

/** The stack that a chain belongs to. */
export function stackOf(chain: string): string {
  const keys = parsePath(chain) ?? [];
  return keys.length < 2 ? BASE_COLOUR : pathText(keys.slice(0, stackKeys(keys)));
}

/** The layer of its stack that a chain belongs to, or null for a signal's own. */
export function layerOf(chain: string): number | null {
  const keys = parsePath(chain) ?? [];
  const first = stackKeys(keys);
  const layer = keys[first + 1];
  return keys[first] === "layers" && typeof layer === "number" ? layer : null;
}

/** The signal that a chain belongs to, its layers included, or null for one of a lane. */
export function signalOf(chain: string): { index: number; shared: boolean } | null {
  const keys = parsePath(stackOf(chain)) ?? [];
  const index = keys.at(-1);
  return typeof index === "number" ? { index, shared: keys[0] === "scene" } : null;
}

/** The signal at a stack of a look or of the scene. */
export function signalAt(look: Look, chain: string): Signal | undefined {
  return signalOf(chain) ? (at(look, stackOf(chain)) as Signal | undefined) : undefined;
}

/** The chain that holds the step that holds this one, or null for one of a layer or signal. */
export function outerOf(chain: string): { chain: string; step: number } | null {
  const keys = parsePath(chain) ?? [];
  const outer = chainsOn(keys).at(-2);
  const step = outer === undefined ? undefined : keys[outer];
  return outer !== undefined && typeof step === "number" ? { chain: pathText(keys.slice(0, outer)), step } : null;
}

/** The least distance between two stops that typing or dragging may leave. */
const APART = 0.0005;

/**
 * Stops in order after the one that was `index` was put somewhere: it stays apart from its neighbours and pushes those
 * that it would meet; all others keep their places exactly. Says where it went.
 */
export function orderedStops<T extends { at: number }>(stops: T[], index: number): { stops: T[]; index: number } {
  const tagged = stops.map((stop, k) => ({ stop, k }));
  tagged.sort((a, b) => a.stop.at - b.stop.at || a.k - b.k);
  const went = tagged.findIndex(({ k }) => k === index);
  const places = tagged.map(({ stop }) => stop.at);
  const clean = (at: number) => Math.round(at * 1e6) / 1e6;
  if (went >= 0) {
    const before = went > 0 ? places[went - 1]! + APART : 0;
    places[went] = clean(Math.min(1, Math.max(0, before, places[went]!)));
    for (let k = went + 1; k < places.length && places[k]! < places[k - 1]! + APART; k++) places[k] = clean(places[k - 1]! + APART);
  }
  for (let k = places.length - 1; k >= 0; k--) {
    const limit = k === places.length - 1 ? 1 : places[k + 1]!;
    // Only what was pushed beyond the end comes back.
    if (places[k]! > limit || (places[k]! === limit && k < places.length - 1)) places[k] = k === places.length - 1 ? 1 : clean(limit - APART);
  }
  return { stops: tagged.map(({ stop }, k) => ({ ...stop, at: places[k]! })), index: went };
}

export function isRamp(step: Step | undefined): step is Ramp {
  return step?.step === "ramp";
}

/** JSON Patch (RFC 6902), the operations that fixes use; what they do not touch is shared. */
export function patched<T>(document: T, operations: PatchOperation[]): T {
  return produce(document, (draft) => {
    for (const { op, path, value } of operations) {
      const keys = path.split("/").slice(1);
      const last = keys.pop() as string;
      // oxlint-disable-next-line no-explicit-any
      const holder = keys.reduce<any>((held, key) => held[key], draft);
      if (Array.isArray(holder)) {
        const index = last === "-" ? holder.length : Number(last);
        if (op === "add") holder.splice(index, 0, value);
        else if (op === "remove") holder.splice(index, 1);
        else holder[index] = value;
      } else if (op === "remove") delete holder[last];
      else holder[last] = value;
    }
  });
}
