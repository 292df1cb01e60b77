/** Actions that more than one place offers. */
import type { Layer, Look, Step, StepCensus } from "../api/client";
import { fresh } from "../chain/fresh";
import { copied, copy, openLibrary } from "../library/Library";
import { BASE_COLOUR, layerOf, layersOf, paintOf, signalChain, stackOf, withAt, withLayers } from "./edits";
import { chooseChain, chosenPopulation, edit, editLook, useStore } from "./store";

/** A name that is not taken: `base`, else `base 2` and so on. */
function free(base: string, taken: string[], between: string): string {
  let name = base;
  for (let k = 2; taken.includes(name); k++) name = `${base}${between}${k}`;
  return name;
}

export function addSignal() {
  const signals = chosenPopulation(useStore.getState())?.look.signals;
  if (!signals) return;
  const name = free("signal", signals.map((s) => s.name), "_");
  editLook("Add a signal", (l) => withAt(l, "signals", [...l.signals, { name, chain: [fresh("random", "")], layers: [] }]));
  chooseChain(signalChain(signals.length), 0);
}

export function addDial(value: number | string, base = typeof value === "string" ? "colour" : "dial"): string {
  const dials = useStore.getState().scene?.dials ?? [];
  const name = free(base, dials.map((d) => d.name), " ");
  edit(`Add the dial ${name}`, (scene) => ({ ...scene, dials: [...scene.dials, { name, value }] }));
  return name;
}

export function putLayer(layer: Layer, label: string, stack = BASE_COLOUR) {
  const look = chosenPopulation(useStore.getState())?.look;
  if (!look) return;
  editLook(label, (l) => withLayers(l, [...layersOf(l, stack), layer], stack));
  chooseChain(paintOf(layersOf(look, stack).length, stack));
}

/** A layer of random values on top of a stack of that kind; numbers and vectors are multiplied, so that it is seen. */
export function addLayer(stack = BASE_COLOUR, kind: StepCensus["kind"] = "colour") {
  const look = chosenPopulation(useStore.getState())?.look;
  if (!look) return;
  const name = `Layer ${layersOf(look, stack).length + 1}`;
  const random = { ...fresh("random", ""), ...(kind === "vector" ? { numbers: 3 } : {}) } as Step;
  const paint = kind === "colour" ? [random, fresh("ramp", "")] : [random];
  const blend = kind === "colour" ? "normal" : "multiply";
  putLayer({ name, enabled: true, blend, blend_in: "linear", amount: 1, mask: null, paint }, "Add a layer", stack);
}

export function pasteLayer(stack = BASE_COLOUR) {
  const layer = copied<Layer>("layer");
  if (layer) putLayer(layer, "Paste a layer", stack);
}

export function layerLibrary() {
  const { chain } = useStore.getState();
  const layers = layersOf(chosenPopulation(useStore.getState())!.look);
  const document = layers[(stackOf(chain) === BASE_COLOUR ? layerOf(chain) : null) ?? layers.length - 1];
  openLibrary({ kind: "layer", document, onUse: (item) => putLayer(item.document as unknown as Layer, `Use the layer ${item.name}`) });
}

export function copyLook() {
  copy("look", chosenPopulation(useStore.getState())?.look);
}

export function pasteLook() {
  const other = copied<Look>("look");
  if (other) editLook("Paste a look", () => other);
}

export function lookLibrary() {
  const document = chosenPopulation(useStore.getState())?.look;
  openLibrary({ kind: "look", document, onUse: (item) => editLook(`Use the look ${item.name}`, () => item.document as unknown as Look) });
}
