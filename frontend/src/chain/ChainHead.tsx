/** Which chain is shown: a layer's paint or mask, a signal, or one held by a step; and what can be done with it. */
import { Tab, TabGroup, TabList } from "@headlessui/react";
import { ArrowLeft, ClipboardPaste, Copy, LibraryBig, Trash2 } from "lucide-react";
import { json, type Layer, type Look, type Step } from "../api/client";
import { copied, copy, openLibrary } from "../library/Library";
import { at, chainAt, layerOf, layersOf, maskOf, outerOf, paintOf, placeOf, signalChain, signalOf, stackOf, withChain, withLayer } from "../state/edits";
import { chooseChain, editLook, useStore } from "../state/store";
import { ActionMenu } from "../widgets/ActionMenu";
import { IconButton } from "../widgets/Button";
import { NameField } from "../widgets/NameField";
import { fresh } from "./fresh";
import { SignalLayers } from "./Layers";
import { STEP_WORDS } from "./words";

export function ChainHead({ look, chain }: { look: Look; chain: string }) {
  const outer = outerOf(chain);
  const signal = signalOf(chain);
  const index = layerOf(chain);
  if (outer) return <Inner look={look} chain={chain} outer={outer} />;
  return (
    <>
      {signal !== null && <SignalHead key={look.signals[signal]?.name} look={look} index={signal} chain={chain} />}
      {signal !== null && look.signals[signal] && <SignalLayers look={look} index={signal} />}
      {index !== null && <LayerHead look={look} chain={chain} index={index} />}
    </>
  );
}

/** Of a layer the chain that paints, or the one that masks. */
function LayerHead({ look, chain, index }: { look: Look; chain: string; index: number }) {
  const stack = stackOf(chain);
  const layer = layersOf(look, stack)[index];
  if (!layer) return null;
  const mask = chain === maskOf(index, stack);
  const setMask = (label: string, to: Layer["mask"]) => editLook(label, (l) => withLayer(l, index, (x) => ({ ...x, mask: to }), stack));
  return (
    <div className="-mb-1 flex items-center gap-2">
      {/* Arrow keys move between the tabs, Enter chooses: going over "Add a mask" must not add one. */}
      <TabGroup
        manual
        selectedIndex={mask ? 1 : 0}
        onChange={(k) => {
          if (k === 1 && !layer.mask) setMask("Add a mask", [fresh("random", "")]);
          chooseChain(k === 1 ? maskOf(index, stack) : paintOf(index, stack), k === 1 ? 0 : null);
        }}
      >
        <TabList aria-label={`Chains of ${layer.name}`} className="flex rounded-md bg-well p-[2px]">
          {(["Paint", "Mask"] as const).map((name) => (
            <Tab key={name} className="h-5.5 cursor-pointer rounded px-3 text-xs text-soft hover:text-ink data-selected:bg-panel data-selected:font-semibold data-selected:text-ink">
              {name === "Mask" && !layer.mask ? "Add a mask" : name}
            </Tab>
          ))}
        </TabList>
      </TabGroup>
      <RunsOn />
      {mask && <span className="truncate text-soft">· 0 hides, 1 shows</span>}
      <span className="ml-auto" />
      {mask && (
        <span>
          <IconButton
            label="Remove the mask"
            onClick={() => {
              setMask("Remove the mask", null);
              chooseChain(paintOf(index, stack));
            }}
          >
            <Trash2 size={13} />
          </IconButton>
        </span>
      )}
      <ChainMenu look={look} chain={chain} />
    </div>
  );
}

/** The level that the chain runs on. */
function RunsOn() {
  const level = useStore((s) => s.geometry[s.chosen]?.header.levels[0]?.name);
  return level ? <span className="flex-none text-soft">on each {level}</span> : null;
}

/** Copy, paste and keep a chain. */
function ChainMenu({ look, chain }: { look: Look; chain: string }) {
  const steps = chainAt(look, chain) ?? [];
  const put = (label: string, to: Step[]) => {
    editLook(label, (l) => withChain(l, chain, () => to));
    chooseChain(chain);
  };
  return (
    <ActionMenu
      dots
      label="More for the chain"
      items={[
        { label: "Copy the chain", icon: Copy, run: () => copy("chain", { steps }) },
        {
          label: "Paste a chain",
          icon: ClipboardPaste,
          run: () => {
            const found = copied<{ steps: Step[] }>("chain");
            if (found) put("Paste a chain", found.steps);
          },
        },
        {
          label: "Chains in the library…",
          icon: LibraryBig,
          run: () =>
            openLibrary({
              kind: "chain",
              document: { steps },
              onUse: (item) => put(`Use the chain ${item.name}`, (item.document as unknown as { steps: Step[] }).steps),
            }),
        },
      ]}
    />
  );
}

/** Back to the chain that holds the step that holds this one. */
function Inner({ look, chain, outer }: { look: Look; chain: string; outer: { chain: string; step: number } }) {
  const number = /\.chains\[(\d+)\]$/.exec(chain)?.[1];
  const holder = at(look, placeOf(outer.chain, outer.step)) as Step;
  return (
    <div className="-mb-1 flex items-center gap-1.5">
      <IconButton label="Back to the outer chain" onClick={() => chooseChain(outer.chain, outer.step)}>
        <ArrowLeft size={14} />
      </IconButton>
      <span className="text-soft">{STEP_WORDS[holder.step].title} ·</span>
      <span className="font-semibold">{number === undefined ? "the other chain" : `chain ${Number(number) + 1}`}</span>
      <RunsOn />
    </div>
  );
}

function SignalHead({ look, index, chain }: { look: Look; index: number; chain: string }) {
  const signal = look.signals[index];
  if (!signal) return null;

  async function rename(wanted: string) {
    const { scene, chosen } = useStore.getState();
    const body = { scene, population: chosen, old: signal!.name, new: wanted };
    const answer = await json<{ look: Look }>("POST", "/signal-names", body);
    editLook(`Rename ${signal!.name} to ${wanted}`, () => answer.look);
  }

  return (
    <div className="-mb-1 flex items-center gap-2">
      <IconButton label="Back to the layers" onClick={() => chooseChain(paintOf(layersOf(look).length - 1))}>
        <ArrowLeft size={14} />
      </IconButton>
      <span className="text-soft">Signal</span>
      <NameField label="Name of the signal" name={signal.name} className="font-semibold" onRename={rename} />
      {chain === signalChain(index) && (
        <>
          <RunsOn />
          <ChainMenu look={look} chain={chain} />
        </>
      )}
      <IconButton
        label={`Remove the signal ${signal.name}`}
        onClick={() => {
          editLook("Remove a signal", (l) => ({ ...l, signals: l.signals.filter((_, k) => k !== index) }));
          chooseChain(paintOf(layersOf(look).length - 1));
        }}
      >
        <Trash2 size={13} />
      </IconButton>
    </div>
  );
}
