/** The chain: channels, layers, and the chosen layer's steps as slabs on one shared axis. */
import { Menu, MenuButton, MenuHeading, MenuItem, MenuItems, MenuSection } from "@headlessui/react";
import { Plus } from "lucide-react";
import { Fragment } from "react";
import type { Step, StepDescription } from "../api/client";
import { layersOf, moved, placeOf, withLayer, withStep } from "../state/edits";
import { chooseStep, chosenPopulation, draftLook, editLook, NONE, useStore } from "../state/store";
import { Toggle } from "../widgets/Toggle";
import { AdvisoryCard, ErrorCard } from "./AdvisoryCard";
import { FlowLines } from "./FlowLines";
import { Layers } from "./Layers";
import { Slab, type StepActions } from "./Slab";
import { fresh, STEP_WORDS } from "./words";

export function ChainPanel() {
  const population = useStore(chosenPopulation);
  const layerIndex = useStore((s) => s.layer);
  const open = useStore((s) => s.step);
  const result = useStore((s) => s.results[s.chosen]);
  const error = useStore((s) => s.errors[s.chosen]);
  if (!population) return <p className="p-4 text-soft">Choose a population, or go to Gather to make one.</p>;
  const { look } = population;
  const layer = layersOf(look)[layerIndex];
  const census = error ? undefined : result?.steps;
  const trace = result?.trace?.steps;

  function actionsFor(index: number): StepActions {
    const change = (label: string, to: (steps: Step[]) => Step[]) =>
      editLook(label, (l) => withLayer(l, layerIndex, (x) => ({ ...x, paint: to(x.paint) })));
    return {
      move: (by) => {
        const to = index + by;
        if (to < 0 || to >= layer!.paint.length) return;
        change("Reorder steps", (steps) => moved(steps, index, to));
        chooseStep(to);
      },
      duplicate: () => change("Duplicate a step", (s) => [...s.slice(0, index + 1), s[index]!, ...s.slice(index + 1)]),
      remove: () => layer!.paint.length > 1 && change("Remove a step", (s) => s.filter((_, k) => k !== index)),
      toggle: () => change("Switch a step", (s) => s.map((x, k) => (k === index ? { ...x, enabled: !x.enabled } : x))),
    };
  }

  return (
    <div className="flex flex-col gap-3 p-3">
      <div className="flex flex-wrap items-center gap-2">
        <button
          type="button"
          aria-pressed
          className={`chip bg-ink font-semibold text-on-ink ${look.lanes.base_colour.enabled ? "" : "line-through"}`}
        >
          Base colour
        </button>
        <span className="ml-auto">
          <Toggle
            label="Lane on"
            on={look.lanes.base_colour.enabled}
            onChange={(enabled) =>
              editLook("Switch the lane", (l) => ({ ...l, lanes: { ...l.lanes, base_colour: { ...l.lanes.base_colour, enabled } } }))
            }
          />
        </span>
      </div>
      <Layers look={look} />
      {error && <ErrorCard error={error} />}
      {!error && result?.advisories.map((a) => <AdvisoryCard key={a.code + a.place} advisory={a} />)}
      {layer && (
        <div aria-label={`Steps of ${layer.name}`} role="group">
          {layer.paint.map((step, k) => {
            const place = placeOf(layerIndex, k);
            return (
              <Fragment key={k}>
                {k > 0 && <FlowLines from={census?.[placeOf(layerIndex, k - 1)]} to={census?.[place]} />}
                <Slab
                  step={step}
                  index={k}
                  place={place}
                  open={k === open}
                  census={census?.[place]}
                  trace={trace?.find((t) => t.place === place)}
                  tracedAt={trace?.findLast((t) => t.place.startsWith(placeOf(layerIndex, 0).slice(0, -2)) && t.at !== undefined)?.at}
                  actions={actionsFor(k)}
                  onOpen={() => chooseStep(k)}
                  onDraft={(s) => draftLook((l) => withStep(l, layerIndex, k, s))}
                  onCommit={(s, label) => editLook(label, (l) => withStep(l, layerIndex, k, s))}
                />
              </Fragment>
            );
          })}
          <AddStep layer={layerIndex} steps={layer.paint} />
        </div>
      )}
    </div>
  );
}

const GROUPS: { heading: string; holds: (d: StepDescription) => boolean }[] = [
  { heading: "Read (in place of the first step)", holds: (d) => d.takes.length === 0 },
  { heading: "Shape", holds: (d) => d.takes.length > 0 && d.gives === "number" },
  { heading: "Colour", holds: (d) => d.takes.length > 0 && d.gives === "colour" },
];

/** Adds after the open step, only what fits there by kind. */
function AddStep({ layer, steps }: { layer: number; steps: Step[] }) {
  const described = useStore((s) => s.steps);
  const open = useStore((s) => s.step) ?? steps.length - 1;
  const census = useStore((s) => s.results[s.chosen]?.steps);
  const attribute = useStore((s) => s.geometry[s.chosen]?.header.attributes.find((a) => a.kind === "number")?.name ?? "size");
  const attributes = useStore((s) => s.geometry[s.chosen]?.header.attributes ?? NONE);
  const broken = useStore((s) => Boolean(s.errors[s.chosen]));
  /** What a step gives: as the core counted it, or, while the look cannot run, as far as its parameters tell. */
  function kindAfter(k: number): string | undefined {
    const step = steps[k];
    const counted = broken ? undefined : census?.[placeOf(layer, k)]?.kind;
    if (counted || !step) return counted;
    if (step.step === "constant") return typeof step.value === "string" ? "colour" : "number";
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
    const step = fresh(word, attribute);
    editLook(`Add ${STEP_WORDS[word].noun}`, (l) =>
      withLayer(l, layer, (x) => ({
        ...x,
        paint: reads ? [step, ...x.paint.slice(1)] : [...x.paint.slice(0, at), step, ...x.paint.slice(at)],
      })),
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
                const at = fits(takes);
                const word = name as Step["step"];
                return (
                  <MenuItem key={name} disabled={at === null}>
                    <button
                      type="button"
                      className="flex h-6.5 w-full cursor-pointer items-center gap-2 rounded px-2 text-left text-xs data-disabled:opacity-40 data-focus:bg-ink data-focus:text-on-ink"
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
