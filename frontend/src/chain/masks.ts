/** Ready beginnings of a mask: painted, by place, along strands, by part, by noise, and two of them multiplied. */
import type { Layer, Step } from "../api/client";
import { layerOf, layersOf, maskOf, stackOf, withLayer } from "../state/edits";
import { addPainted, chooseChain, chosenLook, editLook, longestSide, useStore } from "../state/store";
import type { Found } from "../widgets/Finder";
import { focusOn } from "../widgets/focus";
import { fresh } from "./steps";
import { someSeed } from "./seeds";

const step = (word: Step["step"], of: object = {}) => ({ ...fresh(word), ...of }) as Step;

/** Multiplied with another chain. */
const times = (chain: Step[]) => step("mix", { blend: "multiply", factor: 1, chain });

const noise = () => step("noise", { size: Number((longestSide(6) / 8).toPrecision(2)), low: 0.3, high: 0.7 });
const falloff = () => step("falloff", { shape: "ball" });
const painted = () => step("attribute", { name: addPainted("number"), component: "whole" });

interface Beginning {
  title: string;
  text: string;
  /** Why it cannot be had for these elements. */
  lacks?: () => string | undefined;
  steps: () => Step[];
}

const unfit = (word: string) => () => useStore.getState().geometry[useStore.getState().chosen]?.header.unfit[word];
const noParts = () => (useStore.getState().geometry[useStore.getState().chosen]?.header.levels.some((l) => l.name === "part") ? undefined : "These have no parts.");

export const MASKS: Beginning[] = [
  { title: "Painted", text: "a weight by hand: the brush is out at once", steps: () => [painted()] },
  { title: "Falloff", text: "a ball in the view, to be dragged", steps: () => [falloff()] },
  { title: "Noise", text: "patches", steps: () => [noise()] },
  { title: "Along", text: "towards the tips of strands", lacks: unfit("along"), steps: () => [step("along")] },
  { title: "Part", text: "about a third of the parts", lacks: noParts, steps: () => [step("random", { per: "part", seed: someSeed() }), step("levels", { black_point: 0.65, white_point: 0.66 })] },
  { title: "Chance", text: "a random weight for each element", steps: () => [step("random", { seed: someSeed() })] },
  { title: "Along and painted", text: "tips tinted where a weight is painted", lacks: unfit("along"), steps: () => [step("along"), times([painted()])] },
  { title: "Falloff and noise", text: "a ball with a broken edge", steps: () => [falloff(), times([noise()])] },
  { title: "Painted and noise", text: "a painted weight in patches", steps: () => [painted(), times([noise()])] },
];

/** Mask a layer by one of these, and show it. */
export function mask(stack: string, index: number, { title, steps }: Beginning) {
  // Columns that are painted are made before they are read.
  const chain = steps();
  editLook(`Mask by ${title.toLowerCase()}`, (l) => withLayer(l, index, (x): Layer => ({ ...x, mask: chain }), stack));
  chooseChain(maskOf(index, stack), 0);
  focusOn(`[data-step="0"] button[aria-expanded]`);
}

/** What the layer that is shown can be masked by. */
export function maskable(): Found[] {
  const { chain } = useStore.getState();
  const look = chosenLook(useStore.getState());
  const stack = stackOf(chain);
  const index = layerOf(chain) ?? (look ? layersOf(look, stack).length - 1 : -1);
  if (!look || index < 0) return [];
  return MASKS.map((beginning) => ({ key: beginning.title, title: beginning.title, text: beginning.text, reason: beginning.lacks?.(), run: () => mask(stack, index, beginning) }));
}
