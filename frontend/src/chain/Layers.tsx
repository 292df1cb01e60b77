/** The layers of the lane, top first as they cover each other. */
import { ArrowDown, ArrowUp, Copy, Eye, EyeOff, Plus, Trash2 } from "lucide-react";
import type { Layer, Look } from "../api/client";
import { layerOf, layersOf, moved, paintOf, withLayer, withLayers } from "../state/edits";
import { isFollowing, sourceOf } from "../state/follow";
import { chooseChain, draftLook, editLook, useStore } from "../state/store";
import { Button, IconButton } from "../widgets/Button";
import { Choice } from "../widgets/Choice";
import { NumberField } from "../widgets/NumberField";
import { fresh } from "./fresh";

export function Layers({ look }: { look: Look }) {
  const chosen = useStore((s) => layerOf(s.chain));
  const layers = layersOf(look);

  function add() {
    const layer: Layer = {
      name: `Layer ${layers.length + 1}`,
      enabled: true,
      blend: "normal",
      amount: 1,
      mask: null,
      paint: [fresh("random", ""), fresh("ramp", "")],
    };
    editLook("Add a layer", (l) => withLayers(l, [...layersOf(l), layer]));
    chooseChain(paintOf(layers.length));
  }

  return (
    <div>
      <div className="mb-1 flex items-center justify-between">
        <h2 className="heading">Layers</h2>
        <IconButton label="Add a layer" onClick={add}>
          <Plus size={15} />
        </IconButton>
      </div>
      <ol className="flex flex-col gap-1" aria-label="Layers, top first">
        {layers
          .map((layer, k) => (
            <LayerRow key={k} layer={layer} index={k} chosen={k === chosen} count={layers.length} />
          ))
          .reverse()}
      </ol>
      {layers.length === 0 && (
        <div className="panel p-4 text-center text-soft">
          No layers yet, so every element is white.
          <div className="mt-2">
            <Button strong onClick={add}>
              Add a layer
            </Button>
          </div>
        </div>
      )}
    </div>
  );
}

function LayerRow({ layer, index, chosen, count }: { layer: Layer; index: number; chosen: boolean; count: number }) {
  const change = (label: string, to: Partial<Layer>) => editLook(label, (l) => withLayer(l, index, (x) => ({ ...x, ...to })));
  const shift = (by: number) => {
    editLook("Reorder layers", (l) => withLayers(l, moved(layersOf(l), index, index + by)));
    chooseChain(paintOf(index + by));
  };
  return (
    <li className={`panel ${chosen ? "border-2 border-ink" : "m-px"} ${layer.enabled ? "" : "border-dashed"}`}>
      <div className="flex h-8 items-center gap-1 pr-1 pl-1">
        <IconButton
          label={layer.enabled ? `Switch ${layer.name} off` : `Switch ${layer.name} on`}
          onClick={() => change("Switch a layer", { enabled: !layer.enabled })}
        >
          {layer.enabled ? <Eye size={14} /> : <EyeOff size={14} />}
        </IconButton>
        <button
          type="button"
          aria-pressed={chosen}
          className="flex min-w-0 grow cursor-pointer items-baseline gap-2 text-left"
          onClick={() => chooseChain(paintOf(index))}
        >
          <span className={`truncate text-[13px] font-semibold ${layer.enabled ? "" : "line-through"}`}>{layer.name}</span>
          <span className="truncate text-soft tabular">
            {layer.blend} {isFollowing(layer.amount) ? `by ${sourceOf(layer.amount)}` : `${Math.round(layer.amount * 100)}%`}{layer.mask ? " · masked" : ""}
          </span>
        </button>
        {chosen && (
          <span className="flex items-center">
            <Choice
              label="Blend"
              plain
              value={layer.blend}
              options={[
                { value: "normal", label: "Normal" },
                { value: "multiply", label: "Multiply" },
              ]}
              onChange={(blend) => change("Change the blend", { blend })}
            />
            {!isFollowing(layer.amount) && (
              <NumberField
                label="Amount"
                hideLabel
                unit="%"
                width="w-[56px]"
                digits={0}
                step={1}
                min={0}
                max={100}
                value={layer.amount * 100}
                onDraft={(v) => draftLook((l) => withLayer(l, index, (x) => ({ ...x, amount: v / 100 })))}
                onCommit={(v) => change("Change the amount", { amount: v / 100 })}
              />
            )}
            {count > 1 && (
              <>
                <IconButton label="Move the layer up" disabled={index === count - 1} onClick={() => shift(1)}>
                  <ArrowUp size={13} />
                </IconButton>
                <IconButton label="Move the layer down" disabled={index === 0} onClick={() => shift(-1)}>
                  <ArrowDown size={13} />
                </IconButton>
              </>
            )}
            <IconButton
              label="Duplicate the layer"
              onClick={() =>
                editLook("Duplicate a layer", (l) => {
                  const all = layersOf(l);
                  const name = `${layer.name} copy`.slice(0, 100);
                  return withLayers(l, [...all.slice(0, index + 1), { ...layer, name }, ...all.slice(index + 1)]);
                })
              }
            >
              <Copy size={13} />
            </IconButton>
            <IconButton
              label="Remove the layer"
              onClick={() =>
                editLook("Remove a layer", (l) =>
                  withLayers(
                    l,
                    layersOf(l).filter((_, k) => k !== index),
                  ),
                )
              }
            >
              <Trash2 size={13} />
            </IconButton>
          </span>
        )}
      </div>
    </li>
  );
}
