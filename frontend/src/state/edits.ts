/** Pure edits of documents. */
import type { Layer, Look, PatchOperation, PopulationDocument, Ramp, Scene, Step } from "../api/client";

export function withPopulation(scene: Scene, id: string, edit: (p: PopulationDocument) => PopulationDocument): Scene {
  return { ...scene, populations: scene.populations.map((p) => (p.id === id ? edit(p) : p)) };
}

// Layers stand over a lane or over a signal's chain. Such a stack is addressed by its path in the look, "lanes.base_colour"
// or "signals[1]", and so is a chain: "lanes.base_colour.layers[0].paint", "signals[1].chain", "signals[1].chain[2].chains[0]".

export const BASE_COLOUR = "lanes.base_colour";

export function layersOf(look: Look, stack = BASE_COLOUR): Layer[] {
  return (at(look, `${stack}.layers`) as Layer[] | undefined) ?? [];
}

export function withLayers(look: Look, layers: Layer[], stack = BASE_COLOUR): Look {
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

export function signalStack(index: number): string {
  return `signals[${index}]`;
}

export function signalChain(index: number): string {
  return `${signalStack(index)}.chain`;
}

function keysOf(path: string): (string | number)[] {
  return path
    .replaceAll("]", "")
    .split(/[.[]/)
    .map((key) => (/^\d+$/.test(key) ? Number(key) : key));
}

/** What lies at a path of a document. */
export function at(document: unknown, path: string): unknown {
  // oxlint-disable-next-line no-explicit-any
  return keysOf(path).reduce<any>((held, key) => held?.[key], document);
}

/** The document with something else at a path; what lies beside it is shared. */
export function withAt<T>(document: T, path: string, value: unknown): T {
  const change = (held: unknown, keys: (string | number)[]): unknown => {
    const [key, ...rest] = keys;
    if (key === undefined) return value;
    // oxlint-disable-next-line no-explicit-any
    const copy: any = Array.isArray(held) ? [...held] : { ...(held as object) };
    copy[key] = change(copy[key], rest);
    return copy;
  };
  return change(document, keysOf(path)) as T;
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

/** The innermost chain and step that a place lies in. */
export function parsePlace(place: string): { chain: string; step: number } | null {
  const found = /^(.*(?:\.(?:paint|mask|chain)|\.chains\[\d+\]))(?:\[(\d+)\])?/.exec(place);
  return found ? { chain: found[1]!, step: Number(found[2] ?? 0) } : null;
}

/** The stack that a chain belongs to. */
export function stackOf(chain: string): string {
  return /^signals\[\d+\]/.exec(chain)?.[0] ?? BASE_COLOUR;
}

/** The layer of its stack that a chain belongs to, or null for a signal's own. */
export function layerOf(chain: string): number | null {
  const found = /^(?:lanes\.base_colour|signals\[\d+\])\.layers\[(\d+)\]/.exec(chain);
  return found ? Number(found[1]) : null;
}

/** The signal that a chain belongs to, its layers included, or null for one of the base colour. */
export function signalOf(chain: string): number | null {
  const found = /^signals\[(\d+)\]/.exec(chain);
  return found ? Number(found[1]) : null;
}

/** The chain that holds the step that holds this one, or null for one of a layer or signal. */
export function outerOf(chain: string): { chain: string; step: number } | null {
  const inner = /^(.*\])\.(?:chain|chains\[\d+\])$/.exec(chain);
  return inner && /\.(?:paint|mask|chain|chains\[\d+\])\[\d+\]$/.test(inner[1]!) ? parsePlace(inner[1]!) : null;
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

/** JSON Patch (RFC 6902), the operations that fixes use. */
export function patched<T>(document: T, operations: PatchOperation[]): T {
  const copy = structuredClone(document);
  for (const { op, path, value } of operations) {
    const keys = path.split("/").slice(1);
    const last = keys.pop() as string;
    // oxlint-disable-next-line no-explicit-any
    const holder = keys.reduce<any>((at, key) => at[key], copy);
    if (Array.isArray(holder)) {
      const at = last === "-" ? holder.length : Number(last);
      if (op === "add") holder.splice(at, 0, value);
      else if (op === "remove") holder.splice(at, 1);
      else holder[at] = value;
    } else if (op === "remove") delete holder[last];
    else holder[last] = value;
  }
  return copy;
}
