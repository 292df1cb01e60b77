/** Steps in words, for slabs and menus. */
import type { Component, Following, Step } from "../api/client";
import { isFollowing, sourceOf } from "../state/follow";

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
  signal: { title: "Signal", noun: "a signal" },
  palette: { title: "Palette", noun: "a palette" },
  grade: { title: "Grade", noun: "a grade" },
  clamp: { title: "Clamp", noun: "a clamp" },
  choose: { title: "Choose", noun: "a choice" },
  mix: { title: "Mix", noun: "a mix" },
};

/** A number, or what it follows. */
function short(value: number | Following): string {
  return isFollowing(value) ? `by ${sourceOf(value)}` : String(Number(value.toFixed(2)));
}

/** An interval that something is drawn from; nothing where both ends are 0. */
function interval(word: string, [low, high]: readonly [number | Following, number | Following], unit = ""): string {
  if (!moving(low) && !moving(high)) return "";
  if (!isFollowing(low) && !isFollowing(high) && low === -high) return `${word} ±${short(Math.abs(high))}${unit}`;
  return `${word} ${[low, high].map((end) => (isFollowing(end) ? sourceOf(end) : `${short(end)}${unit}`)).join(" to ")}`;
}

const moving = (value: number | Following) => isFollowing(value) || value !== 0;

export const SPACES = { oklab: "OKLab", oklch: "OKLCH", linear_rgb: "linear RGB", display_rgb: "display RGB", hsv: "HSV" } as const;
export const BLENDS = {
  normal: "Normal", multiply: "Multiply", screen: "Screen", overlay: "Overlay", darken: "Darken", lighten: "Lighten",
  colour_dodge: "Colour dodge", colour_burn: "Colour burn", hard_light: "Hard light", soft_light: "Soft light",
  difference: "Difference", exclusion: "Exclusion", hue: "Hue", saturation: "Saturation", colour: "Colour",
  luminosity: "Luminosity", add: "Add", subtract: "Subtract", minimum: "Minimum", maximum: "Maximum", average: "Average",
} as const;
export const PARTS: Record<Component["part"], string> = {
  hue: "Hue", saturation: "Saturation", value: "Value", luma: "Luma", luminance: "Luminance", red: "Red", green: "Green", blue: "Blue",
  lightness: "OK lightness", chroma: "OK chroma", oklch_hue: "OK hue", x: "x", y: "y", z: "z", length: "Length",
};
export const INTERPOLATIONS = { steps: "Steps", straight: "Straight", eased: "Eased", through: "Through", soft: "Soft" } as const;

/** Four digits are enough to see where a range lies. */
const near = (value: number | undefined) => String(Number((value ?? 0).toPrecision(4)));

/** What a step does, with its few numbers; `facts` are figures that it told. */
export function summary(step: Step, facts: Record<string, number> = {}): string {
  switch (step.step) {
    case "random":
      return `${step.per === "element" ? "per element" : `per ${step.per}`}${isFollowing(step.numbers) || step.numbers > 1 ? `, ${short(step.numbers)} numbers` : ""}${step.linked ? ", linked" : ""}`;
    case "attribute":
      return step.component === "whole" ? step.name : `${step.name}, ${step.component}`;
    case "constant":
      return typeof step.value === "string" ? step.value : short(step.value);
    case "range": {
      const own = facts.low === undefined ? "" : ` ${near(facts.low)} to ${near(facts.high)}`;
      const from = step.own ? `own range${own}` : `${short(step.from_low)} to ${short(step.from_high)}`;
      const to = [step.to_low, step.to_high];
      if (step.flip) to.reverse();
      return `${from} onto ${to.map(short).join(" to ")}${step.clamp ? ", clamped" : ""}`;
    }
    case "even_out":
      return step.frozen.length ? "by a frozen distribution" : "by rank, whole range used";
    case "ramp":
      return step.interpolation === "steps"
        ? `${step.stops.length} steps`
        : `${step.stops.length} stops, ${INTERPOLATIONS[step.interpolation].toLowerCase()} in ${SPACES[step.mix_in]}`;
    case "component":
      return PARTS[step.part].replace(/^[A-Z](?=[a-z])/, (c) => c.toLowerCase());
    case "levels": {
      const bend = step.gamma === 1 ? "" : `, gamma ${short(step.gamma)}`;
      return `${short(step.black_point)} to ${short(step.white_point)}${bend}${step.contrast === 1 ? "" : `, contrast ${short(step.contrast)}`}`;
    }
    case "curve":
      return `${step.interpolation}, ${step.points.length} points`;
    case "quantise":
      return `${short(step.levels)} levels from ${step.of === "index" ? "whole numbers" : "0 to 1"}`;
    case "spread":
      if (step.by === "ramp_bands") return "neighbours in other bands of the ramp";
      return step.edges.length ? "neighbours in other bands" : `neighbours in other bands of ${short(step.bands)}`;
    case "formula":
      return step.text;
    case "signal":
      return step.name;
    case "palette":
      return `${step.name}, ${step.swatches.length} swatches`;
    case "grade": {
      const parts = [
        step.gain !== 1 ? `gain ${short(step.gain)}` : "",
        moving(step.hue_turn) ? `hue ${short(step.hue_turn)}${isFollowing(step.hue_turn) ? "" : "°"}` : "",
        step.saturation !== 1 ? `sat ×${short(step.saturation)}` : "",
        step.complement ? "complement" : "",
        moving(step.monochrome) ? `monochrome ${short(step.monochrome)}` : "",
        moving(step.value) ? `value ${short(step.value)}` : "",
        step.brightness !== 1 ? `bright ×${short(step.brightness)}` : "",
        step.contrast !== 1 ? `contrast ${short(step.contrast)}` : "",
        step.gamma !== 1 ? `gamma ${short(step.gamma)}` : "",
        [...step.slope, ...step.power, step.cdl_saturation].some((v) => v !== 1) || step.offset.some((v) => v !== 0) ? "CDL" : "",
      ].filter(Boolean);
      return parts.join(" · ") || "nothing yet";
    }
    case "clamp":
      return `levels ${short(step.least)} to ${short(step.greatest)}`;
    case "choose":
      return `one of ${step.chains.length} chains by ${step.of === "index" ? "whole number" : "value"}`;
    case "mix":
      if (step.blend !== "normal") return `${BLENDS[step.blend].toLowerCase()} with another chain`;
      return isFollowing(step.factor) ? `with another, ${short(step.factor)}` : `${short(step.factor * 100)}% of another`;
    case "drift": {
      const parts = [
        interval("hue", step.hue, "°"),
        interval("sat", step.saturation),
        interval("light", step.lightness),
        interval("gamma", step.gamma),
      ].filter(Boolean);
      const { chance } = step;
      const some = isFollowing(chance) ? `, chance ${short(chance)}` : chance < 1 ? `, ${short(chance * 100)}% of elements` : "";
      return (parts.join(" · ") || "nothing yet") + some;
    }
  }
}
