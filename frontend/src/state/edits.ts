/** Pure edits of documents. */
import type { Layer, Look, PatchOperation, PopulationDocument, Ramp, Scene, Step, Stop } from "../api/client";

export function withPopulation(scene: Scene, id: string, edit: (p: PopulationDocument) => PopulationDocument): Scene {
  return { ...scene, populations: scene.populations.map((p) => (p.id === id ? edit(p) : p)) };
}

export function layersOf(look: Look): Layer[] {
  return look.lanes.base_colour.layers;
}

export function withLayers(look: Look, layers: Layer[]): Look {
  return { ...look, lanes: { ...look.lanes, base_colour: { ...look.lanes.base_colour, layers } } };
}

export function withLayer(look: Look, index: number, edit: (layer: Layer) => Layer): Look {
  return withLayers(
    look,
    layersOf(look).map((layer, k) => (k === index ? edit(layer) : layer)),
  );
}

export function withStep(look: Look, layer: number, index: number, step: Step): Look {
  return withLayer(look, layer, (l) => ({ ...l, paint: l.paint.map((s, k) => (k === index ? step : s)) }));
}

export function moved<T>(list: T[], from: number, to: number): T[] {
  const rest = list.filter((_, k) => k !== from);
  return [...rest.slice(0, to), list[from] as T, ...rest.slice(to)];
}

export function placeOf(layer: number, step: number): string {
  return `lanes.base_colour.layers[${layer}].paint[${step}]`;
}

export function parsePlace(place: string): { layer: number; step: number } | null {
  const found = /layers\[(\d+)\](?:\.paint\[(\d+)\])?/.exec(place);
  return found ? { layer: Number(found[1]), step: Number(found[2] ?? 0) } : null;
}

/** The least distance between two stops that typing or dragging may leave. */
const APART = 0.0005;

/** Stops in order and apart; says where the stop that was `index` went. */
export function orderedStops(stops: Stop[], index: number): { stops: Stop[]; index: number } {
  const tagged = stops.map((stop, k) => ({ stop, k }));
  tagged.sort((a, b) => a.stop.at - b.stop.at || a.k - b.k);
  const places = tagged.map(({ stop }) => Math.min(1, Math.max(0, stop.at)));
  for (let k = 1; k < places.length; k++) {
    if (places[k]! - places[k - 1]! < APART) places[k] = places[k - 1]! + APART;
  }
  for (let k = places.length - 1; k >= 0; k--) {
    const limit = 1 - (places.length - 1 - k) * APART;
    if (places[k]! > limit) places[k] = limit;
  }
  return {
    stops: tagged.map(({ stop }, k) => ({ ...stop, at: Math.round(places[k]! * 1e6) / 1e6 })),
    index: tagged.findIndex(({ k }) => k === index),
  };
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
