/** Words and figures that several steps' summaries and editors share. */
import type { Component, Following } from "../../api/client";
import { isFollowing, sourceOf } from "../../state/follow";

/** A number, or what it follows. */
export function short(value: number | Following): string {
  return isFollowing(value) ? `by ${sourceOf(value)}` : String(Number(value.toFixed(2)));
}

export const moving = (value: number | Following) => isFollowing(value) || value !== 0;

/** An interval that something is drawn from; nothing where both ends are 0. */
export function interval(word: string, [low, high]: readonly [number | Following, number | Following], unit = ""): string {
  if (!moving(low) && !moving(high)) return "";
  if (!isFollowing(low) && !isFollowing(high) && low === -high) return `${word} ±${short(Math.abs(high))}${unit}`;
  return `${word} ${[low, high].map((end) => (isFollowing(end) ? sourceOf(end) : `${short(end)}${unit}`)).join(" to ")}`;
}

/** Four digits are enough to see where a range lies. */
export const near = (value: number | undefined) => String(Number((value ?? 0).toPrecision(4)));

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

/** The shapes that every population can draw. */
export const SHAPE_WORDS = { sequin: "Sequins", tile: "Tiles", ball: "Balls", block: "Blocks", bead: "Beads", rosette: "Rosettes", card: "Cards", ring: "Rings" } as const;
export type ShapeWord = keyof typeof SHAPE_WORDS;
/** The word for the meshes that clones came with. */
export const OWN_SHAPE = { value: "own", label: "As they came" } as const;
/** Of particles: light that adds up, and haze that takes some; the view shows both approximately. */
export const SOFT_OPTIONS = [
  { value: "glow", label: "Glow, approximate" },
  { value: "haze", label: "Haze, approximate" },
] as const;
export const SHAPE_OPTIONS = (Object.entries(SHAPE_WORDS) as [ShapeWord, string][]).map(([value, label]) => ({ value, label }));
