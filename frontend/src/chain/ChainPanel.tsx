/** The chain: channels, layers, and the chosen layer's steps as slabs on one shared axis. */
import { Menu, MenuButton, MenuHeading, MenuItem, MenuItems, MenuSection } from "@headlessui/react";
import { Plus } from "lucide-react";
import { Fragment } from "react";
import type { Look, Step, StepDescription } from "../api/client";
import { chainAt, moved, placeOf, signalOf, withAt, withChain, withStep } from "../state/edits";
import { chooseStep, chosenPopulation, draftLook, editLook, NONE, useStore } from "../state/store";
import { Toggle } from "../widgets/Toggle";
import { AdvisoryCard, ErrorCard } from "./AdvisoryCard";
import { ChainHead } from "./ChainHead";
import { FlowLines } from "./FlowLines";
import { Layers } from "./Layers";
import { Slab, type StepActions } from "./Slab";
import { fresh } from "./fresh";
import { STEP_WORDS } from "./words";

export function ChainPanel() {
  const population = useStore(chosenPopulation);
  const chain = useStore((s) => s.chain);
  const result = useStore((s) => s.results[s.chosen]);
  const error = useStore((s) => s.errors[s.chosen]);
  if (!population) return <p className="p-4 text-soft">Choose a population, or go to Gather to make one.</p>;
  const { look } = population;
  const { enabled } = look.lanes.base_colour;
  return (
    <div className="flex flex-col gap-3 p-3">
      <div className="flex flex-wrap items-center gap-2">
        <button type="button" aria-pressed className={`chip bg-ink font-semibold text-on-ink ${enabled ? "" : "line-through"}`}>
          Base colour
        </button>
        <span className="ml-auto">
          <Toggle
            label="Lane on"
            on={enabled}
            onChange={(on) => editLook("Switch the lane", (l) => withAt(l, "lanes.base_colour.enabled", on))}
          />
        </span>
      </div>
      <Layers look={look} />
      {error && <ErrorCard error={error} />}
      {!error && result?.advisories.map((a) => <AdvisoryCard key={a.code + a.place + a.sentence} advisory={a} />)}
      <ChainHead look={look} chain={chain} />
      <Steps key={chain} look={look} chain={chain} />
    </div>
  );
}

function Steps({ look, chain }: { look: Look; chain: string }) {
  const open = useStore((s) => s.step);
  const result = useStore((s) => s.results[s.chosen]);
  const broken = useStore((s) => Boolean(s.errors[s.chosen]));
  const steps = chainAt(look, chain);
  if (!steps) return null;
  const census = broken ? undefined : result?.steps;
  const trace = result?.trace?.steps;
  const mine = (place: string) => place.startsWith(`${chain}[`);

  function actionsFor(index: number): StepActions {
    const change = (label: string, to: (all: Step[]) => Step[]) => editLook(label, (l) => withChain(l, chain, to));
    return {
      move: (by) => {
        const to = index + by;
        if (to < 0 || to >= steps!.length) return;
        change("Reorder steps", (all) => moved(all, index, to));
        chooseStep(to);
      },
      duplicate: () => change("Duplicate a step", (s) => [...s.slice(0, index + 1), s[index]!, ...s.slice(index + 1)]),
      remove: () => steps!.length > 1 && change("Remove a step", (s) => s.filter((_, k) => k !== index)),
      toggle: () => change("Switch a step", (s) => s.map((x, k) => (k === index ? { ...x, enabled: !x.enabled } : x))),
    };
  }

  return (
    <div aria-label="Steps" role="group">
      {steps.map((step, k) => {
        const place = placeOf(chain, k);
        return (
          <Fragment key={k}>
            {k > 0 && <FlowLines from={census?.[placeOf(chain, k - 1)]} to={census?.[place]} />}
            <Slab
              step={step}
              index={k}
              place={place}
              open={k === open}
              census={census?.[place]}
              trace={trace?.find((t) => t.place === place)}
              tracedAt={trace?.findLast((t) => mine(t.place) && t.at !== undefined)?.at}
              actions={actionsFor(k)}
              onOpen={() => chooseStep(k)}
              onDraft={(s) => draftLook((l) => withStep(l, chain, k, s))}
              onCommit={(s, label) => editLook(label, (l) => withStep(l, chain, k, s))}
            />
          </Fragment>
        );
      })}
      <AddStep chain={chain} steps={steps} look={look} />
    </div>
  );
}

const HOLDERS = ["choose", "mix"];
const COLOURISTS = ["ramp", "palette"];
const GROUPS: { heading: string; holds: (d: StepDescription) => boolean }[] = [
  { heading: "Read (in place of the first step)", holds: (d) => d.takes.length === 0 },
  { heading: "Shape", holds: (d) => d.takes.length > 0 && d.gives === "number" && !HOLDERS.includes(d.name) },
  { heading: "Colour", holds: (d) => d.takes.length > 0 && d.gives === "colour" },
  { heading: "Join chains", holds: (d) => HOLDERS.includes(d.name) },
];

/** Adds after the open step, only what fits there by kind. */
function AddStep({ chain, steps, look }: { chain: string; steps: Step[]; look: Look }) {
  const described = useStore((s) => s.steps);
  const open = useStore((s) => s.step) ?? steps.length - 1;
  const census = useStore((s) => s.results[s.chosen]?.steps);
  const attributes = useStore((s) => s.geometry[s.chosen]?.header.attributes ?? NONE);
  const broken = useStore((s) => Boolean(s.errors[s.chosen]));
  const own = signalOf(chain);
  const signal = look.signals.find((_, k) => k !== own)?.name;
  /** What a step gives: as the core counted it, or, while the look cannot run, as far as its parameters tell. */
  function kindAfter(k: number): string | undefined {
    const step = steps[k];
    const counted = broken ? undefined : census?.[placeOf(chain, k)]?.kind;
    if (counted || !step) return counted;
    if (step.step === "constant") return typeof step.value === "string" ? "colour" : "number";
    if (step.step === "mix" && k > 0) return kindAfter(k - 1);
    const read = step.step === "attribute" && attributes.find((a) => a.name === step.name);
    if (read && (read.kind === "colour" || (read.kind === "vector" && step.component === "whole"))) return read.kind;
    return described.find((d) => d.name === step.step)?.gives;
  }
  /** The last place where a step taking this kind fits. */
  function fits(takes: string[]): number | null {
    if (takes.length === 0) return 0;
    for (const k of [open, ...steps.map((_, i) => steps.length - 1 - i)]) if (takes.includes(kindAfter(k) ?? "")) return k + 1;
    return null;
  }
  function add(word: Step["step"], reads: boolean, at: number) {
    const attribute = attributes.find((a) => a.kind === "number")?.name ?? "size";
    let step = fresh(word, word === "signal" ? (signal ?? "") : attribute);
    // The other chain of a mix begins with what it is mixed with.
    if (step.step === "mix" && kindAfter(at - 1) === "number") step = { ...step, chain: [fresh("random", "")] };
    // What is spread before colours are chosen is spread by their bands.
    if (step.step === "spread" && COLOURISTS.includes(steps[at]?.step ?? "")) step = { ...step, by: "ramp_bands" };
    // A ramp and a palette do the same work: one put before the other takes its place.
    const replaces = reads || (COLOURISTS.includes(word) && COLOURISTS.includes(steps[at]?.step ?? ""));
    editLook(`Add ${STEP_WORDS[word].noun}`, (l) =>
      withChain(l, chain, (all) => all.toSpliced(reads ? 0 : at, replaces ? 1 : 0, step)),
    );
    chooseStep(reads ? 0 : at);
  }
  return (
    <div className="mt-2 text-center">
      <Menu>
        <MenuButton className="button">
          <Plus size={13} aria-hidden />
          Add a step
        </MenuButton>
        <MenuItems anchor={{ to: "bottom", gap: 4, padding: 8 }} className="panel z-40 w-[424px] p-1.5 shadow-lg outline-none">
          {GROUPS.map(({ heading, holds }) => (
            <MenuSection key={heading}>
              <MenuHeading className="heading px-2 pt-1 pb-0.5">{heading}</MenuHeading>
              {described.filter(holds).map(({ name, takes, summary }) => {
                const at = name === "signal" && !signal ? null : fits(takes);
                const word = name as Step["step"];
                return (
                  <MenuItem key={name} disabled={at === null}>
                    <button
                      type="button"
                      className="menu-item h-6.5"
                      onClick={() => at !== null && add(word, takes.length === 0, at)}
                    >
                      <span className="w-20 flex-none font-semibold">{STEP_WORDS[word]?.title ?? name}</span>
                      <span className="truncate opacity-80">{summary}</span>
                    </button>
                  </MenuItem>
                );
              })}
            </MenuSection>
          ))}
        </MenuItems>
      </Menu>
    </div>
  );
}
