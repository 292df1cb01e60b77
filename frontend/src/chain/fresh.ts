/** New steps, ready to use: the defaults of the core, and what a person would begin with. */
import type { Step } from "../api/client";
import { useStore } from "../state/store";
import type { Property } from "./Parameters";

const someSeed = () => Math.floor(Math.random() * 1000);

export function newStop(at: number, colour: string) {
  return { at, colour, intensity: 1, hold: false, locked: false };
}

/** What differs from the defaults of the core. */
function beginning(word: Step["step"], name: string): Record<string, unknown> {
  switch (word) {
    case "attribute":
    case "signal":
      return { name };
    case "range":
      return { own: true };
    case "formula":
      return { text: "where(random(5) < 0.14, 1, random(3) * 0.8)" };
    case "drift":
      return { hue: [-12, 12], lightness: [-0.06, 0.06] };
    case "ramp":
      return { stops: [newStop(0, "#1d2b4f"), newStop(0.5, "#c8553d"), newStop(1, "#f3dfb8")] };
    case "palette":
      return {
        columns: 6,
        swatches: ["#131f4d", "#0b6a72", "#22a98a", "#f3b13c", "#ef5236", "#f7e7ce"].map((colour) => ({ colour, weight: 1, locked: false })),
      };
    case "choose":
      return { chains: ["#1d2b4f", "#c8553d", "#f3dfb8"].map((value) => [{ ...fresh("constant", ""), value }]) };
    case "mix":
      return { chain: [{ ...fresh("constant", ""), value: "#f3dfb8" }] };
    default:
      return {};
  }
}

/** A step of a kind; `name` is what it reads, where it reads by name. */
export function fresh(word: Step["step"], name: string): Step {
  const properties = (useStore.getState().steps.find((d) => d.name === word)?.parameters.properties ?? {}) as Record<string, Property>;
  const defaults = Object.entries(properties)
    .filter(([, p]) => p.default !== undefined)
    .map(([key, p]) => [key, p.default]);
  const seed = "seed" in properties ? { seed: someSeed() } : {};
  return { ...Object.fromEntries(defaults), ...seed, ...beginning(word, name), step: word, enabled: true } as Step;
}
