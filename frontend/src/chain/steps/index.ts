/** All steps' parts in the page, by the word that names their file; and what the core tells of each. */
import type { Step, StepDescription } from "../../api/client";
import { useStore } from "../../state/base";
import { someSeed } from "../seeds";
import type { About, StepPage, Word } from "./page";

const files = import.meta.glob<{ default: StepPage<Word> }>("./*.tsx", { eager: true });
const PAGES = new Map(Object.entries(files).map(([path, file]) => [/([a-z_]+)\.tsx$/.exec(path)![1]!, file.default]));
const PLAIN: StepPage<Word> = { summary: () => "" };

/** A step without a file of its own has the generated controls alone. */
export function pageOf(word: string): StepPage<Word> {
  return PAGES.get(word) ?? PLAIN;
}

export function describedStep(word: string): StepDescription | undefined {
  return useStore.getState().steps.find((d) => d.name === word);
}

/** What the core calls a step, as a title and within a sentence. */
export const titleOf = (word: string) => describedStep(word)?.title ?? word;
export const nounOf = (word: string) => describedStep(word)?.noun ?? word;
export const groupOf = (word: string | undefined) => (word === undefined ? undefined : describedStep(word)?.group);

export function summary(step: Step, facts: Record<string, number> = {}): string {
  return pageOf(step.step).summary(step, facts);
}

const NOTHING: About = { attribute: "", signal: "", owner: "", longest: 0, others: [] };

/** A new step, ready to use: the defaults of the core, and what a person would begin with. */
export function fresh(word: Word, about: About = NOTHING): Step {
  const properties = (describedStep(word)?.parameters.properties ?? {}) as Record<string, { default?: unknown }>;
  const defaults = Object.entries(properties)
    .filter(([, p]) => p.default !== undefined)
    .map(([key, p]) => [key, p.default]);
  const seed = "seed" in properties ? { seed: someSeed() } : {};
  return { ...Object.fromEntries(defaults), ...seed, ...pageOf(word).first?.(about), step: word, enabled: true } as Step;
}
