/** Parameters that follow a signal, a dial or a marker. */
import type { Dial, Follow, FollowColour, FollowDial, Following, FollowMarker } from "../api/client";

/** What a parameter may be beside a literal, by the schema's `follow`. */
export type Follows = "signal" | "dial" | "colour" | "marker";

/** What stands for a colour that follows until the core has told it. */
export const UNKNOWN = "#808080";

export function isFollowing(value: unknown): value is Following {
  return typeof value === "object" && value !== null && ("dial" in value || "signal" in value || "marker" in value);
}

export function sourceOf(value: Following): string {
  if ("marker" in value) return `${value.marker}, ${value.axis}`;
  return ("signal" in value && value.signal) || value.dial || "";
}

/** The number that stands for a parameter where only one can be drawn. */
export function drawn(value: number | Follow | FollowDial | FollowMarker, dials: Dial[], otherwise = 0.5): number {
  if (typeof value === "number") return value;
  if ("marker" in value) return otherwise;
  const turned = dials.find((d) => d.name === value.dial)?.value;
  if (turned === undefined || typeof turned === "string") return otherwise;
  return "low" in value ? value.low + (value.high - value.low) * Number(turned) : Number(turned);
}

export interface Source {
  signal?: string;
  dial?: string;
  marker?: string;
  axis?: "x" | "y" | "z";
}

/** Follow a source instead of a literal. A signal runs from nothing to the value there was; a dial gives its own. */
export function following(how: Follows, source: Source, literal: unknown, most: number): Following {
  if (source.marker !== undefined) return { marker: source.marker, axis: source.axis ?? "x" } satisfies FollowMarker;
  if (how === "dial" || how === "marker") return { dial: source.dial ?? "" } satisfies FollowDial;
  const named = { signal: source.signal ?? null, dial: source.dial ?? null };
  if (how === "colour") return named satisfies FollowColour;
  const value = typeof literal === "number" ? literal : 0;
  const high = source.dial !== undefined ? 1 : value || (Number.isFinite(most) ? most / 4 : 1);
  return { ...named, low: 0, high } satisfies Follow;
}

/** The literal to go back to. */
export function literalOf(value: Following, dials: Dial[], otherwise: unknown): unknown {
  if ("marker" in value) return otherwise;
  const dial = dials.find((d) => d.name === value.dial);
  const turned = dial?.value;
  if ("high" in value) return typeof turned === "number" ? value.low + (value.high - value.low) * turned : value.high;
  // A parameter that is one of several words takes the name of the choice.
  if (typeof otherwise === "string" && dial?.choices.length) return dial.choices[Number(turned)] ?? otherwise;
  return turned ?? otherwise;
}
