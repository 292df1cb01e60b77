/** The chain: the channels' lanes, the layers of one, and the chosen layer's steps as slabs on one shared axis. */
import { Menu, MenuButton, MenuHeading, MenuItem, MenuItems, MenuSection } from "@headlessui/react";
import { Plus } from "lucide-react";
import { Fragment, memo } from "react";
import type { Look, Step } from "../api/client";
import { chainAt, type Desk, placeOf, signalOf, withChain } from "../state/edits";
import { useKeys } from "../state/keys";
import { attributesOf, chooseStep, chosenLook, chosenPopulation, editLook, longestSide, NONE, useStore } from "../state/store";
import { AdvisoryCard, ErrorCard } from "./AdvisoryCard";
import { ChainHead } from "./ChainHead";
import { FlowLines } from "./FlowLines";
import { LaneHead } from "./LaneHead";
import { Lanes, useShownChannel } from "./Lanes";
import { Layers } from "./Layers";
import { Slab } from "./Slab";
import { Wears } from "./Wears";
import { fresh, groupOf, nounOf, pageOf } from "./steps";

export function ChainPanel() {
  const population = useStore(chosenPopulation);
  const look = useStore(chosenLook);
  const chain = useStore((s) => s.chain);
  const result = useStore((s) => s.results[s.chosen]);
  const error = useStore((s) => s.errors[s.chosen]);
  const channel = useShownChannel();
  if (!population || !look) return <p className="p-4 text-soft">Choose a population, or go to Gather to make one.</p>;
  return (
    <div className="flex flex-col gap-3 p-3">
      <Wears population={population} />
      <Lanes look={look} />
      <LaneHead look={look} channel={channel} />
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
  const keys = useKeys(steps ?? (NONE as Step[]), chain);
  if (!steps) return null;
  const census = broken ? undefined : result?.steps;
  const trace = result?.trace?.steps;
  const mine = (place: string) => place.startsWith(`${chain}[`);
  return (
    <div aria-label="Steps" role="group">
      {steps.map((step, k) => {
        const place = placeOf(chain, k);
        return (
          <Fragment key={keys[k]}>
            {k > 0 && <FlowLines from={census?.[placeOf(chain, k - 1)]} to={census?.[place]} />}
            <Slab
              step={step}
              chain={chain}
              index={k}
              open={k === open}
              census={census?.[place]}
              trace={trace?.find((t) => t.place === place)}
              tracedAt={trace?.findLast((t) => mine(t.place) && t.at !== undefined)?.at}
            />
          </Fragment>
        );
      })}
      <AddStep chain={chain} steps={steps} look={look as Desk} />
    </div>
  );
}

/** The parts of the menu by the group that the core puts a step into. */
const GROUPS = { read: "Read (in place of the first step)", shape: "Shape", colour: "Colour", correct: "Correct colours", combine: "Join chains" } as const;

/** What a step gives: as the core counted it, or, while the look cannot run, as far as its parameters tell. */
function useKinds(chain: string, steps: Step[]) {
  const described = useStore((s) => s.steps);
  const census = useStore((s) => s.results[s.chosen]?.steps);
  const attributes = useStore(attributesOf);
  const broken = useStore((s) => Boolean(s.errors[s.chosen]));
  return function kindAfter(k: number): string | undefined {
    const step = steps[k];
    const counted = broken ? undefined : census?.[placeOf(chain, k)]?.kind;
    if (counted || !step) return counted;
    const told = pageOf(step.step).gives?.(step, k > 0 ? kindAfter(k - 1) : undefined, attributes);
    return told ?? described.find((d) => d.name === step.step)?.gives;
  };
}

/** Adds after the open step, only what fits there by kind. */
const AddStep = memo(function AddStep({ chain, steps, look }: { chain: string; steps: Step[]; look: Desk }) {
  const described = useStore((s) => s.steps);
  const open = useStore((s) => s.step) ?? steps.length - 1;
  const attributes = useStore(attributesOf);
  const kindAfter = useKinds(chain, steps);
  const own = signalOf(chain);
  const readable = [
    ...look.signals.filter((_, k) => !(own && !own.shared && own.index === k)),
    ...look.scene.signals.filter((_, k) => !(own?.shared && own.index === k)),
  ];
  const signal = readable[0]?.name;
  /** The last place where a step taking this kind fits. */
  function fits(takes: string[]): number | null {
    if (takes.length === 0) return 0;
    for (const k of [open, ...steps.map((_, i) => steps.length - 1 - i)]) if (takes.includes(kindAfter(k) ?? "")) return k + 1;
    return null;
  }
  function add(word: Step["step"], reads: boolean, at: number) {
    const attribute = attributes.find((a) => a.kind === "number")?.name ?? "size";
    const next = groupOf(steps[at]?.step);
    const { geometry, chosen, scene } = useStore.getState();
    const header = geometry[chosen]?.header;
    const others = (scene?.populations ?? []).filter((p) => p.id !== chosen).map((p) => p.id);
    const step = fresh(word, { attribute, signal: signal ?? "", owner: header?.levels[1]?.name ?? "", longest: longestSide(0), others, incoming: kindAfter(at - 1), replaced: reads ? kindAfter(0) : undefined, next });
    // Steps that choose colours do the same work: one put before another takes its place.
    const replaces = reads || (groupOf(word) === "colour" && next === "colour");
    editLook(`Add ${nounOf(word)}`, (l) => withChain(l, chain, (all) => all.toSpliced(reads ? 0 : at, replaces ? 1 : 0, step)));
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
          {Object.entries(GROUPS).map(([group, heading]) => (
            <MenuSection key={group}>
              <MenuHeading className="heading px-2 pt-1 pb-0.5">{heading}</MenuHeading>
              {described.filter((d) => d.group === group).map(({ name, title, takes, summary }) => {
                const at = name === "signal" && !signal ? null : fits(takes);
                return (
                  <MenuItem key={name} disabled={at === null}>
                    <button
                      type="button"
                      className="menu-item h-6.5"
                      onClick={() => at !== null && add(name as Step["step"], takes.length === 0, at)}
                    >
                      <span className="w-20 flex-none font-semibold">{title}</span>
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
});
