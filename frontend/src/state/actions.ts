/** Actions that more than one place offers. */
import type { Layer, Look } from "../api/client";
import { fresh } from "../chain/fresh";
import { copied, copy, openLibrary } from "../library/Library";
import { layerOf, layersOf, paintOf, signalChain, withAt, withLayers } from "./edits";
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
  editLook("Add a signal", (l) => withAt(l, "signals", [...l.signals, { name, chain: [fresh("random", "")] }]));
  chooseChain(signalChain(signals.length), 0);
}

export function addDial(value: number | string, base = typeof value === "string" ? "colour" : "dial"): string {
  const dials = useStore.getState().scene?.dials ?? [];
  const name = free(base, dials.map((d) => d.name), " ");
  edit(`Add the dial ${name}`, (scene) => ({ ...scene, dials: [...scene.dials, { name, value }] }));
  return name;
}

export function putLayer(layer: Layer, label: string) {
  const look = chosenPopulation(useStore.getState())?.look;
  if (!look) return;
  editLook(label, (l) => withLayers(l, [...layersOf(l), layer]));
  chooseChain(paintOf(layersOf(look).length));
}

export function addLayer() {
  const look = chosenPopulation(useStore.getState())?.look;
  if (!look) return;
  const name = `Layer ${layersOf(look).length + 1}`;
  const paint = [fresh("random", ""), fresh("ramp", "")];
  putLayer({ name, enabled: true, blend: "normal", blend_in: "linear", amount: 1, mask: null, paint }, "Add a layer");
}

export function pasteLayer() {
  const layer = copied<Layer>("layer");
  if (layer) putLayer(layer, "Paste a layer");
}

export function layerLibrary() {
  const { chain } = useStore.getState();
  const layers = layersOf(chosenPopulation(useStore.getState())!.look);
  const document = layers[layerOf(chain) ?? layers.length - 1];
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
