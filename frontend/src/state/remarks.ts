/** What the core noticed of a population, without what is left as it is; equal remarks are one. */
import type { Advisory, PopulationDocument } from "../api/client";
import { channelOf, type LookInScene, layerOf, layersOf, parsePlace, signalAt, stackOf } from "./edits";
import { editPopulation } from "./document";

/** A remark, and all places at which it was made. */
export interface Remark extends Advisory {
  places: string[];
}

const key = ({ code, place }: { code: string; place: string }) => `${code} ${place}`;

function told(advisories: Advisory[], population: PopulationDocument | null, muted: boolean): Advisory[] {
  const left = new Set(population?.muted.map(key));
  return advisories.filter((a) => left.has(key(a)) === muted);
}

export function remarksOf(advisories: Advisory[], population: PopulationDocument | null): Remark[] {
  const found = new Map<string, Remark>();
  for (const a of told(advisories, population, false)) {
    const same = found.get(a.code + a.sentence);
    if (same) same.places.push(a.place);
    else found.set(a.code + a.sentence, { ...a, places: [a.place] });
  }
  return [...found.values()];
}

/** The sentence of a remark that is left as it is, where the core still makes it. */
export function leftSentence(advisories: Advisory[], of: { code: string; place: string }): string | undefined {
  return advisories.find((a) => key(a) === key(of))?.sentence;
}

export function leave(remark: Remark) {
  editPopulation("Leave a remark as it is", (p) => ({ ...p, muted: [...p.muted, ...remark.places.map((place) => ({ code: remark.code, place }))] }));
}

export function bringBack(of: { code: string; place: string }) {
  editPopulation("Bring a remark back", (p) => ({ ...p, muted: p.muted.filter((m) => key(m) !== key(of)) }));
}

/** Whether a remark is about a step of a chain. */
export function about(place: string, chain: string, step: number): boolean {
  const at = parsePlace(place);
  return at?.chain === chain && at.step === step;
}

/** A place of a look in words: its channel or signal, its layer, its step. */
export function whereOf(place: string, look: LookInScene, channels: { name: string; title: string }[]): string {
  const at = parsePlace(place);
  if (!at) return place.startsWith("lanes.") ? (channels.find((c) => c.name === channelOf(stackOf(place)))?.title ?? "") : "";
  const stack = stackOf(at.chain);
  const channel = channelOf(stack);
  const whole = channel === null ? (signalAt(look, at.chain)?.name ?? "a signal") : (channels.find((c) => c.name === channel)?.title ?? channel);
  const layer = layerOf(at.chain);
  const named = layer === null ? "" : `, ${layersOf(look, stack)[layer]?.name ?? ""}`;
  return `${whole}${named}, step ${at.step + 1}${at.chain.endsWith(".mask") ? " of the mask" : ""}`;
}
