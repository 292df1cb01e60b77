/** Which chain is shown: a layer's paint or mask, a signal, or one held by a step; and what can be done with it. */
import { Tab, TabGroup, TabList } from "@headlessui/react";
import { ArrowLeft, ClipboardPaste, Copy, Files, LibraryBig, Share2, Trash2, Stamp, Waypoints } from "lucide-react";
import { json, type Layer, type Look, type Scene, type Signal, type Step } from "../api/client";
import { copied, copy, openLibrary } from "../library/Library";
import { at, chainAt, type LookInScene, layerOf, layersOf, maskOf, outerOf, paintOf, placeOf, signalAt, signalChain, signalOf, stackOf, withChain, withLayer } from "../state/edits";
import { reuseAsSignal } from "../state/actions";
import { chooseChain, edit, editLook, useStore, keepValues } from "../state/store";
import { ActionMenu } from "../widgets/ActionMenu";
import { IconButton } from "../widgets/Button";
import { askRemoval } from "../rooms/Removal";
import { Finder } from "../widgets/Finder";
import { NameField } from "../widgets/NameField";
import { maskable } from "./masks";
import { SignalLayers } from "./Layers";
import { titleOf } from "./steps";

export function ChainHead({ look, chain }: { look: LookInScene; chain: string }) {
  const outer = outerOf(chain);
  const signal = signalAt(look, chain);
  const index = layerOf(chain);
  if (outer) return <Inner look={look} chain={chain} outer={outer} />;
  return (
    <>
      {signal && <SignalHead key={signal.name} look={look} signal={signal} chain={chain} />}
      {signal && <SignalLayers look={look} signal={signal} stack={stackOf(chain)} />}
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
      <TabGroup
        manual
        selectedIndex={mask ? 1 : 0}
        onChange={(k) => chooseChain(k === 1 ? maskOf(index, stack) : paintOf(index, stack), k === 1 ? 0 : null)}
      >
        <TabList aria-label={`Chains of ${layer.name}`} className="flex rounded-md bg-well p-[2px]">
          {(layer.mask ? (["Paint", "Mask"] as const) : (["Paint"] as const)).map((name) => (
            <Tab key={name} className="h-5.5 cursor-pointer rounded px-3 text-xs text-soft hover:text-ink data-selected:bg-panel data-selected:font-semibold data-selected:text-ink">
              {name}
            </Tab>
          ))}
        </TabList>
      </TabGroup>
      {!layer.mask && (
        <Finder label="Mask by…" placeholder="Mask this layer by" className="h-6! px-2!" width="w-[372px]" groups={() => [{ heading: "Mask this layer by", items: maskable() }]}>
          Mask by…
        </Finder>
      )}
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
        ...(signalOf(chain) ? [] : [{ label: "Reuse as signal", icon: Waypoints, run: () => reuseAsSignal(chain) }]),
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
      <span className="text-soft">{titleOf(holder.step)} ·</span>
      <span className="font-semibold">{number === undefined ? "the other chain" : `chain ${Number(number) + 1}`}</span>
      <RunsOn />
    </div>
  );
}

/** A signal's name, and where it lives: in this look, or in the scene for all populations. */
function SignalHead({ look, signal, chain }: { look: LookInScene; signal: Signal; chain: string }) {
  const stack = stackOf(chain);
  const { index, shared } = signalOf(chain)!;
  const back = () => chooseChain(paintOf(layersOf(look).length - 1));

  async function rename(wanted: string) {
    const { scene, chosen } = useStore.getState();
    if (shared) {
      const answer = await json<{ scene: Scene }>("POST", "/shared-signal-names", { scene, old: signal.name, new: wanted });
      return edit(`Rename ${signal.name} to ${wanted}`, () => answer.scene);
    }
    const body = { scene, population: chosen, old: signal.name, new: wanted };
    const answer = await json<{ look: Look }>("POST", "/signal-names", body);
    editLook(`Rename ${signal.name} to ${wanted}`, (l) => ({ ...answer.look, scene: l.scene }) as LookInScene);
  }

  const without = (l: LookInScene): LookInScene =>
    shared
      ? { ...l, scene: { signals: l.scene.signals.filter((_, k) => k !== index) } }
      : { ...l, signals: l.signals.filter((_, k) => k !== index) };

  function share() {
    const to = look.scene.signals.length;
    editLook(`Share ${signal.name}`, (l) => ({ ...without(l), scene: { signals: [...l.scene.signals, signal] } }) as LookInScene);
    chooseChain(signalChain(to, true), 0);
  }

  function makeOwn() {
    const to = look.signals.length;
    editLook(`Make ${signal.name} this look's own`, (l) => ({ ...l, signals: [...l.signals, signal] }));
    chooseChain(signalChain(to), 0);
  }

  const items = shared
    ? [{ label: "Make it this look's own", icon: Files, run: makeOwn }]
    : [{ label: "Share it with all populations", icon: Share2, run: share }];
  items.push({ label: "Keep these values", icon: Stamp, run: () => void keepValues(signal.name) });
  return (
    <div className="-mb-1 flex items-center gap-2">
      <IconButton label="Back to the layers" onClick={back}>
        <ArrowLeft size={14} />
      </IconButton>
      <span className="flex-none text-soft">{shared ? "Shared signal" : "Signal"}</span>
      <NameField label="Name of the signal" name={signal.name} className="font-semibold" onRename={rename} />
      {chain === `${stack}.chain` && (
        <>
          <RunsOn />
          <ChainMenu look={look} chain={chain} />
        </>
      )}
      <ActionMenu dots label={`More for the signal ${signal.name}`} items={items} />
      <IconButton label={`Remove the signal ${signal.name}`} onClick={() => void askRemoval({ kind: "signal", id: useStore.getState().chosen, name: signal.name, shared }, back)}>
        <Trash2 size={13} />
      </IconButton>
    </div>
  );
}
