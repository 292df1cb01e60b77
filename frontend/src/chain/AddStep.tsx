/** Adds a step after the open one: found by words, by what one wants, or among those used most. */
import { Plus } from "lucide-react";
import { memo } from "react";
import type { AttributeCensus, Step, StepDescription } from "../api/client";
import { chainAt, type LookInScene, placeOf, signalOf, withChain } from "../state/edits";
import { attributesOf, chooseStep, chosenLook, chosenPopulation, editLook, longestSide, useStore } from "../state/store";
import { Finder, type FoundGroup } from "../widgets/Finder";
import { focusOn } from "../widgets/focus";
import { mostUsed, used } from "../widgets/used";
import { fresh, groupOf, nounOf, pageOf } from "./steps";

/** The parts of the list: by what one wants, where steps that read stand in place of the first. */
const AIMS = {
  shape: "Shape", colour: "Colour", correct: "Correct", combine: "Join chains",
  chance: "Chance, in place of the first step", place: "Place, in place of the first step",
  values: "Values, in place of the first step", another: "Another thing, in place of the first step",
} as const;
const FIRST_USED = ["noise", "ramp", "drift", "range", "even_out", "random"];
const MOST = 6;

type Word = Step["step"];
type Kinds = (k: number) => string | undefined;

/** What a step gives: as the core counted it, or, while the look cannot run, as it was compiled; else as steps of its word do. */
function kindsOf(chain: string, steps: Step[]): Kinds {
  const state = useStore.getState();
  const wrong = state.errors[state.chosen];
  const census = wrong ? undefined : state.results[state.chosen]?.steps;
  return function kindAfter(k): string | undefined {
    const step = steps[k];
    // What is off lets pass what comes.
    if (step && !step.enabled) return k > 0 ? kindAfter(k - 1) : undefined;
    const place = placeOf(chain, k);
    return census?.[place]?.kind ?? wrong?.kinds[place] ?? (step && state.steps.find((d) => d.name === step.step)?.gives);
  };
}

/** The signal that a chain could read, not being its own. */
function readable(chain: string, look: LookInScene): string | undefined {
  const own = signalOf(chain);
  const names = (signals: LookInScene["signals"], shared: boolean) => signals.filter((_, k) => !(own && own.shared === shared && own.index === k)).map(({ name }) => name);
  return [...names(look.signals, false), ...names(look.scene.signals, true)][0];
}

/** Where a step would go, or why it cannot be had. */
function placed({ name, takes }: StepDescription, open: number, steps: Step[], kinds: Kinds, signal: string | undefined): number | string {
  const { geometry, chosen } = useStore.getState();
  const unfit = geometry[chosen]?.header.unfit[name];
  if (unfit) return unfit;
  if (name === "signal" && !signal) return "There is no signal to read yet.";
  if (takes.length === 0) return 0;
  for (const k of [open, ...steps.map((_, i) => steps.length - 1 - i)]) if (takes.includes(kinds(k) ?? "")) return k + 1;
  return `It takes a ${takes.join(" or ")}; nothing here gives one.`;
}

function add(chain: string, word: Word, at: number, reads: boolean, kinds: Kinds, signal: string | undefined) {
  const state = useStore.getState();
  const steps = chainAt(chosenLook(state)!, chain) ?? [];
  const attributes = attributesOf(state);
  const attribute = attributes.find((a) => a.kind === "number")?.name ?? "size";
  const next = groupOf(steps[at]?.step);
  const header = state.geometry[state.chosen]?.header;
  const others = (state.scene?.populations ?? []).filter((p) => p.id !== state.chosen).map((p) => p.id);
  const about = { attribute, signal: signal ?? "", owner: header?.levels[1]?.name ?? "", longest: longestSide(0), others, incoming: kinds(at - 1), replaced: reads ? kinds(0) : undefined, next, mask: chain.endsWith(".mask"), mesh: header?.kind === "mesh", below: below(state), attributes };
  const step = fresh(word, about);
  // Steps that choose colours do the same work: one put before another takes its place.
  const replaces = reads || (groupOf(word) === "colour" && next === "colour");
  const kept = replaces && !reads ? (pageOf(word).instead?.(step as never, steps[at]!) ?? step) : step;
  used("steps", word);
  editLook(`Add ${nounOf(word)}`, (l) => withChain(l, chain, (all) => all.toSpliced(reads ? 0 : at, replaces ? 1 : 0, kept)));
  chooseStep(reads ? 0 : at);
  focusOn(`[data-step="${reads ? 0 : at}"] button[aria-expanded]`);
}

/** What the population carries on which the chosen one stands. */
function below(state: ReturnType<typeof useStore.getState>): AttributeCensus[] {
  const maker = chosenPopulation(state)?.maker;
  return maker && "on" in maker && typeof maker.on === "string" ? attributesOf(state, maker.on) : [];
}

/** What can be added, in the order in which it is likely wanted. */
export function addable(chain: string): FoundGroup[] {
  const state = useStore.getState();
  const look = chosenLook(state);
  const steps = look && chainAt(look, chain);
  if (!look || !steps) return [];
  const open = Math.min(state.step ?? steps.length - 1, steps.length - 1);
  const kinds = kindsOf(chain, steps);
  const signal = readable(chain, look);
  const found = state.steps.map((d) => {
    const at = placed(d, open, steps, kinds, signal);
    const reason = typeof at === "string" ? at : undefined;
    const run = () => typeof at === "number" && add(chain, d.name as Word, at, d.takes.length === 0, kinds, signal);
    const aim = (d.aim || (d.group === "read" ? "values" : d.group)) as keyof typeof AIMS;
    return { key: d.name, title: d.title, text: d.summary, reason, run, aim, here: at === open + 1 || at === 0 };
  });
  const here = found.filter(({ reason }) => !reason).toSorted((a, b) => Number(b.here) - Number(a.here));
  const most = mostUsed("steps", FIRST_USED).flatMap((word) => here.filter(({ key }) => key === word));
  const groups = (Object.keys(AIMS) as (keyof typeof AIMS)[]).map((aim) => ({ heading: AIMS[aim], items: here.filter((f) => f.aim === aim) }));
  // What goes on from the open step comes before what would go elsewhere, or in place of the first.
  const onwards = groups.toSorted((a, b) => Number(b.items.some((f) => f.here)) - Number(a.items.some((f) => f.here)));
  return [{ heading: "Used most", items: most.slice(0, MOST) }, ...onwards, { heading: "Not here", items: found.filter(({ reason }) => reason) }];
}

export const AddStep = memo(function AddStep({ chain }: { chain: string }) {
  return (
    <div className="mt-2 text-center">
      <Finder label="Add a step" placeholder="Find a step" width="w-[424px]" groups={() => addable(chain)}>
        <Plus size={13} aria-hidden />
        Add a step
      </Finder>
    </div>
  );
});
