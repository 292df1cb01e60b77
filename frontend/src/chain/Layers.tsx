/** The layers of the lane, top first as they cover each other. */
import { ArrowDown, ArrowUp, ClipboardPaste, Copy, Eye, EyeOff, Files, GripVertical, PenLine, Plus, Trash2 } from "lucide-react";
import { memo, useMemo, useState } from "react";
import type { Channel, Layer, Look, Signal, StepCensus } from "../api/client";
import { copy } from "../library/Library";
import { addLayer, pasteLayer } from "../state/actions";
import { type LookInScene, laneStack, layerOf, layersOf, moved, paintOf, stackOf, withLayer, withLayers } from "../state/edits";
import { isFollowing, sourceOf } from "../state/follow";
import { useKeys } from "../state/keys";
import { announce, chooseChain, chosenLook, draftLook, editLook, useStore } from "../state/store";
import { ActionMenu } from "../widgets/ActionMenu";
import { focusOn } from "../widgets/focus";
import { Button, IconButton } from "../widgets/Button";
import { Choice } from "../widgets/Choice";
import { Renaming } from "../widgets/Renaming";
import { Sortable, useSortableItem } from "../widgets/Sortable";
import { FollowNumber } from "./FollowNumber";
import { useShownChannel } from "./Lanes";
import { BLENDS } from "./steps/words";

const BLEND_OPTIONS = (Object.entries(BLENDS) as [Layer["blend"], string][]).map(([value, label]) => ({ value, label }));
/** Modes that look at a whole colour. */
const WHOLE: Layer["blend"][] = ["hue", "saturation", "colour", "luminosity"];
const ARITHMETIC = BLEND_OPTIONS.filter(({ value }) => !WHOLE.includes(value));

function reorder(stack: string, from: number, to: number, count: number) {
  if (to < 0 || to >= count || from === to) return;
  const name = layersOf(chosenLook(useStore.getState())!, stack)[from]?.name ?? "The layer";
  editLook("Reorder layers", (l) => withLayers(l, moved(layersOf(l, stack), from, to), stack));
  announce(`${name} is now layer ${count - to} of ${count}, counted from the top.`);
  chooseChain(paintOf(to, stack));
}

/** The layers of the channel that is shown, or of the base colour while a signal is. */
export function Layers({ look }: { look: LookInScene }) {
  const channel = useShownChannel();
  const described = useStore((s) => s.channels.find((c) => c.name === channel));
  const stack = laneStack(channel);
  const kind = (described?.kind ?? "colour") as StepCensus["kind"];
  const bare = kind === "colour" ? "white" : `${described?.default[0] ?? 0}`;
  return (
    <div className="empty:hidden">
      <LayerList look={look} stack={stack} kind={kind} label="Layers, top first" />
      {layersOf(look, stack).length === 0 && (
        <div className="panel flex items-center gap-3 px-3 py-2 text-soft">
          <span className="min-w-0 grow">{emptyWords(described, bare)}</span>
          <Button strong className="flex-none" data-first-layer onClick={() => (addLayer(stack, kind), focusOn(`[data-step="0"] button[aria-expanded]`))}>
            Add its first layer
          </Button>
        </div>
      )}
    </div>
  );
}

/** What elements have in a channel that has no layers. */
function emptyWords(channel: Channel | undefined, bare: string): string {
  if (channel?.name === "shape" || channel?.name === "finish") return `No layers yet, so chance picks the ${channel.name} by the weights.`;
  if (channel?.name === "subsurface_colour") return "No layers yet, so it is that of the finish, or follows the base colour.";
  if (channel?.of_finish) return `No layers yet, so ${channel.title.toLowerCase()} is that of the finish.`;
  return `No layers yet, so ${channel?.title.toLowerCase() ?? "it"} is ${bare} for every element.`;
}

/** The layers over a signal's own chain. */
export function SignalLayers({ look, signal, stack }: { look: Look; signal: Signal; stack: string }) {
  const chain = useStore((s) => s.chain);
  const kind = useStore((s) => s.results[s.chosen]?.steps[s.results[s.chosen]?.signals[signal.name] ?? ""]?.kind ?? "number");
  const own = `${stack}.chain`;
  const items = [{ label: "Paste a layer", icon: ClipboardPaste, run: () => pasteLayer(stack) }];
  return (
    <div>
      <div className="mb-1 flex items-center justify-between">
        <h2 className="heading">Layers over {signal.name}</h2>
        <span className="flex">
          <IconButton label={`Add a layer over ${signal.name}`} onClick={() => addLayer(stack, kind)}>
            <Plus size={15} />
          </IconButton>
          <ActionMenu dots label={`More for the layers over ${signal.name}`} items={items} />
        </span>
      </div>
      {layersOf(look, stack).length > 0 && (
        <>
          <LayerList look={look} stack={stack} kind={kind} label={`Layers over ${signal.name}, top first`} />
          <button
            type="button"
            aria-pressed={chain === own}
            className={`panel mt-1 block h-8 w-full cursor-pointer px-3 text-left ${chain === own ? "border-2 border-ink" : ""}`}
            onClick={() => chooseChain(own, 0)}
          >
            <span className="text-[13px] font-semibold">Its own chain</span>
          </button>
        </>
      )}
    </div>
  );
}

interface ListProps {
  look: Look;
  stack: string;
  kind: StepCensus["kind"];
  label: string;
}

/** Top first, as they cover each other. */
function LayerList({ look, stack, kind, label }: ListProps) {
  const chosen = useStore((s) => (stackOf(s.chain) === stack ? layerOf(s.chain) : null));
  const layers = layersOf(look, stack);
  const keys = useKeys(layers, stack);
  const shown = useMemo(() => keys.toReversed(), [keys]);
  const last = layers.length - 1;
  return (
    <Sortable
      keys={shown}
      nameOf={(key) => layers[keys.indexOf(key)]?.name ?? "The layer"}
      onMove={(from, to) => reorder(stack, last - from, last - to, layers.length)}
    >
      <ol className="flex flex-col gap-1" aria-label={label}>
        {shown.map((key, k) => (
          <LayerItem key={key} of={key} layer={layers[last - k]!} index={last - k} stack={stack} kind={kind} chosen={last - k === chosen} count={layers.length} />
        ))}
      </ol>
    </Sortable>
  );
}

const LayerItem = memo(function LayerItem({ of, ...row }: { of: number } & Omit<RowProps, "handle">) {
  const { item, handle } = useSortableItem(of);
  return (
    <li {...item} className={`panel ${row.chosen ? "border-2 border-ink" : "m-px"} ${row.layer.enabled ? "" : "border-dashed"}`}>
      <LayerRow {...row} handle={handle} />
    </li>
  );
});

interface RowProps {
  layer: Layer;
  index: number;
  stack: string;
  kind: StepCensus["kind"];
  chosen: boolean;
  count: number;
  /** What takes hold of the layer to move it. */
  handle: ReturnType<typeof useSortableItem>["handle"];
}

function LayerRow({ layer, index, stack, kind, chosen, count, handle }: RowProps) {
  const [naming, setNaming] = useState(false);
  const changed = (to: Partial<Layer>) => (l: Look) => withLayer(l, index, (x) => ({ ...x, ...to }), stack);
  const change = (label: string, to: Partial<Layer>) => editLook(label, changed(to));
  const name = (to: string | null) => {
    setNaming(false);
    if (to !== null) change("Name a layer", { name: to });
  };
  const amount = isFollowing(layer.amount) ? `by ${sourceOf(layer.amount)}` : `${Math.round(layer.amount * 100)}%`;
  const items = [
    { label: "Rename", icon: PenLine, run: () => setNaming(true) },
    { label: "Move up", icon: ArrowUp, run: () => reorder(stack, index, index + 1, count), disabled: index === count - 1 },
    { label: "Move down", icon: ArrowDown, run: () => reorder(stack, index, index - 1, count), disabled: index === 0 },
    {
      label: "Duplicate",
      icon: Files,
      run: () => {
        editLook("Duplicate a layer", (l) => {
          const all = layersOf(l, stack);
          return withLayers(l, all.toSpliced(index + 1, 0, { ...structuredClone(layer), name: `${layer.name} copy`.slice(0, 100) }), stack);
        });
        chooseChain(paintOf(index + 1, stack));
      },
    },
    { label: "Copy the layer", icon: Copy, run: () => copy("layer", layer) },
    { label: "Remove", icon: Trash2, run: () => editLook("Remove a layer", (l) => withLayers(l, layersOf(l, stack).filter((_, k) => k !== index), stack)) },
  ];
  return (
    <>
      {/* oxlint-disable-next-line jsx-a11y/no-static-element-interactions -- the keys of the buttons in it */}
      <div
        className="flex h-8 items-center gap-0.5 pr-0.5 pl-0.5"
        onKeyDown={(e) => {
          if (!e.altKey || (e.key !== "ArrowUp" && e.key !== "ArrowDown")) return;
          e.preventDefault();
          reorder(stack, index, index + (e.key === "ArrowUp" ? 1 : -1), count);
        }}
      >
        <button type="button" {...handle} className="flex-none cursor-grab touch-none rounded py-1 text-strong" aria-label={`Move ${layer.name}`}>
          <GripVertical size={12} aria-hidden />
        </button>
        <IconButton
          label={layer.enabled ? `Switch ${layer.name} off` : `Switch ${layer.name} on`}
          onClick={() => change("Switch a layer", { enabled: !layer.enabled })}
        >
          {layer.enabled ? <Eye size={14} /> : <EyeOff size={14} />}
        </IconButton>
        {naming ? (
          <Renaming label="Name of the layer" name={layer.name} className="min-w-0 grow" onDone={name} />
        ) : (
          <button
            type="button"
            aria-pressed={chosen}
            className="flex min-w-0 grow cursor-pointer items-baseline gap-2 text-left"
            title="Double click to rename; Alt with arrow keys moves it"
            onClick={() => chooseChain(paintOf(index, stack))}
            onDoubleClick={() => setNaming(true)}
          >
            <span className={`truncate text-[13px] font-semibold ${layer.enabled ? "" : "line-through"}`}>{layer.name}</span>
            <span className="truncate text-soft tabular">
              {BLENDS[layer.blend].toLowerCase()} {amount}
              {layer.mask ? " · masked" : ""}
            </span>
          </button>
        )}
        <ActionMenu dots label={`More for layer ${layer.name}`} items={items} />
      </div>
      {chosen && (
        <div className="flex flex-wrap items-center gap-x-2 border-t border-line px-2 py-1">
          <Choice label="Blend" plain value={layer.blend} options={kind === "colour" ? BLEND_OPTIONS : ARITHMETIC} onChange={(blend) => change("Change the blend", { blend })} />
          {kind === "colour" && (
            <Choice
              label="Blend in"
              plain
              value={layer.blend_in}
              options={[
                { value: "linear", label: "in linear light" },
                { value: "display", label: "in display encoding" },
              ]}
              onChange={(blend_in) => change("Change where layers blend", { blend_in })}
            />
          )}
          <span className="grow" />
          <FollowNumber
            title="Amount"
            how="signal"
            value={layer.amount}
            shown={1}
            change="Change the amount"
            percent
            min={0}
            max={1}
            step={1}
            digits={0}
            width="w-[56px]"
            onDraft={(amount) => draftLook(changed({ amount }))}
            onCommit={(amount, label) => change(label, { amount })}
          />
        </div>
      )}
    </>
  );
}
