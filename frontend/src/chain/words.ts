/** Steps in words, for slabs and menus. */
import type { Step } from "../api/client";

type Word = Step["step"];

export const STEP_WORDS: Record<Word, { title: string; noun: string }> = {
  random: { title: "Random", noun: "a random value" },
  attribute: { title: "Attribute", noun: "an attribute" },
  constant: { title: "Constant", noun: "one value" },
  range: { title: "Range", noun: "a range" },
  even_out: { title: "Even out", noun: "an even distribution" },
  ramp: { title: "Ramp", noun: "a ramp" },
  drift: { title: "Drift", noun: "drift" },
  component: { title: "Component", noun: "a component" },
  levels: { title: "Levels", noun: "levels" },
  curve: { title: "Curve", noun: "a curve" },
  quantise: { title: "Quantise", noun: "levels" },
  spread: { title: "Spread", noun: "spread" },
  formula: { title: "Formula", noun: "a formula" },
};

const short = (value: number) => String(Number(value.toFixed(2)));

/** What a step does, with its few numbers. */
export function summary(step: Step): string {
  switch (step.step) {
    case "random":
      return step.per === "element" ? "per element" : `per ${step.per}`;
    case "attribute":
      return step.component === "whole" ? step.name : `${step.name}, ${step.component}`;
    case "constant":
      return typeof step.value === "number" ? short(step.value) : step.value;
    case "range": {
      const from = step.own ? "own range" : `${short(step.from_low)} to ${short(step.from_high)}`;
      const to = [step.to_low, step.to_high];
      if (step.flip) to.reverse();
      return `${from} onto ${to.map(short).join(" to ")}${step.clamp ? ", clamped" : ""}`;
    }
    case "even_out":
      return "by rank, whole range used";
    case "ramp":
      return `${step.stops.length} ${step.interpolation === "step" ? "steps" : `stops, mixed in ${step.mix_in === "oklab" ? "OKLab" : "linear RGB"}`}`;
    case "component":
      return step.part.replace("_", " ");
    case "levels": {
      const bend = step.gamma === 1 ? "" : `, gamma ${short(step.gamma)}`;
      return `${short(step.black_point)} to ${short(step.white_point)}${bend}${step.contrast === 1 ? "" : `, contrast ${short(step.contrast)}`}`;
    }
    case "curve":
      return `${step.interpolation}, ${step.points.length} points`;
    case "quantise":
      return `${step.levels} levels from ${step.of === "index" ? "whole numbers" : "0 to 1"}`;
    case "spread":
      return `neighbours in other bands of ${step.bands}`;
    case "formula":
      return step.text;
    case "drift": {
      const sign = { around: "±", above: "+", below: "−" }[step.direction];
      const parts = [
        step.hue ? `hue ${sign}${short(step.hue)}°` : "",
        step.saturation ? `sat ${sign}${short(step.saturation)}` : "",
        step.lightness ? `light ${sign}${short(step.lightness)}` : "",
      ].filter(Boolean);
      const chance = step.chance < 1 ? `, ${short(step.chance * 100)}% of elements` : "";
      return (parts.join(" · ") || "nothing yet") + chance;
    }
  }
}

/** A new step of a kind, ready to use. */
export function fresh(word: Word, attribute: string): Step {
  const seed = Math.floor(Math.random() * 1000);
  switch (word) {
    case "random":
      return { step: "random", enabled: true, per: "element", seed };
    case "attribute":
      return { step: "attribute", enabled: true, name: attribute, component: "whole" };
    case "constant":
      return { step: "constant", enabled: true, value: 0.5 };
    case "range":
      return {
        step: "range", enabled: true, own: true, from_low: 0, from_high: 1, to_low: 0, to_high: 1, clamp: true, flip: false,
      };
    case "even_out":
      return { step: "even_out", enabled: true };
    case "component":
      return { step: "component", enabled: true, part: "hue" };
    case "levels":
      return { step: "levels", enabled: true, black_point: 0, white_point: 1, gamma: 1, contrast: 1, pivot: 0.5 };
    case "curve":
      return {
        step: "curve",
        enabled: true,
        interpolation: "monotone",
        points: [
          { x: 0, y: 0, left: [-0.1, 0], right: [0.1, 0] },
          { x: 1, y: 1, left: [-0.1, 0], right: [0.1, 0] },
        ],
      };
    case "quantise":
      return { step: "quantise", enabled: true, levels: 5, of: "value", beyond: "hold" };
    case "spread":
      return { step: "spread", enabled: true, bands: 5, seed };
    case "formula":
      return { step: "formula", enabled: true, text: "where(index % 7 == 0, 1, random(3) * 0.8)" };
    case "ramp":
      return {
        step: "ramp",
        enabled: true,
        interpolation: "linear",
        mix_in: "oklab",
        stops: [
          { at: 0, colour: "#1d2b4f" },
          { at: 0.5, colour: "#c8553d" },
          { at: 1, colour: "#f3dfb8" },
        ],
      };
    case "drift":
      return {
        step: "drift", enabled: true, hue: 12, saturation: 0, lightness: 0.06, direction: "around", chance: 1, seed,
      };
  }
}
