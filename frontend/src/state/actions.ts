/** Actions that more than one place offers. */
import type { Layer, Look, Step, StepCensus } from "../api/client";
import { fresh } from "../chain/steps";
import { copied, copy, openLibrary } from "../library/Library";
import { BASE_COLOUR, chainAt, channelOf, free, layerOf, layersOf, lookOf, paintOf, placeOf, signalChain, stackOf, withAt, withChain, withLayers } from "./edits";
import { chooseChain, chosenLook, chosenPopulation, edit, editLook, longestSide, useStore } from "./store";

export function addSignal() {
  const look = chosenLook(useStore.getState());
  if (!look) return;
  const name = free("signal", [...look.signals, ...look.scene.signals].map((s) => s.name), "_");
  editLook("Add a signal", (l) => withAt(l, "signals", [...l.signals, { name, chain: [fresh("random")], layers: [] }]));
  chooseChain(signalChain(look.signals.length), 0);
}

/** Make a signal of what a lane's chain reads and shapes, and read it there: then other lanes can read the same. */
export function reuseAsSignal(chain: string) {
  const state = useStore.getState();
  const look = chosenLook(state);
  const steps = look && chainAt(look, chain);
  const census = state.results[state.chosen]?.steps;
  if (!look || !steps || !census) return;
  // Up to the first step that gives a colour; what is off has no kind and goes along.
  const colour = steps.findIndex((_, k) => census[placeOf(chain, k)]?.kind === "colour");
  const count = colour > 0 ? colour : steps.length;
  const name = free(steps[0]!.step.replaceAll("_", " "), [...look.signals, ...look.scene.signals].map((s) => s.name), " ");
  const reading = { ...fresh("signal"), name } as Step;
  editLook(`Reuse ${name} as a signal`, (l) => {
    const read = withChain(l, chain, (all) => [reading, ...all.slice(count)]);
    return { ...read, signals: [...l.signals, { name, chain: steps.slice(0, count), layers: [] }] };
  });
  chooseChain(chain, 0);
}

/** A new dial for a number, a colour, on and off, or one of several words, which become its choices. */
export function addDial(value: number | string | boolean, base = "", words?: string[]): string {
  const dials = useStore.getState().scene?.dials ?? [];
  const choices = words && typeof value === "string" ? words : [];
  const plain = choices.length > 0 ? Math.max(0, choices.indexOf(String(value))) : value;
  const name = free(base || (typeof plain === "string" ? "colour" : "dial"), dials.map((d) => d.name), " ");
  edit(`Add the dial ${name}`, (scene) => ({ ...scene, dials: [...scene.dials, { name, value: plain, choices, keys: [] }] }));
  return name;
}

export function putLayer(layer: Layer, label: string, stack = BASE_COLOUR) {
  const look = chosenLook(useStore.getState());
  if (!look) return;
  editLook(label, (l) => withLayers(l, [...layersOf(l, stack), layer], stack));
  chooseChain(paintOf(layersOf(look, stack).length, stack));
}

/** A layer of random values on top of a stack of that kind; numbers and vectors are multiplied, so that it is seen. */
export function addLayer(stack = BASE_COLOUR, kind: StepCensus["kind"] = "colour") {
  const look = chosenLook(useStore.getState());
  if (!look) return;
  const name = `Layer ${layersOf(look, stack).length + 1}`;
  const random = { ...fresh("random"), ...(kind === "vector" ? { numbers: 3 } : {}) } as Step;
  const paint = kind === "colour" ? [random, fresh("ramp")] : channelOf(stack) === "offset" ? [random, ofSpacing()] : [random];
  // The first layer of a lane covers what lies below it.
  const covers = kind === "colour" || (channelOf(stack) !== null && layersOf(look, stack).length === 0);
  const blend = covers ? "normal" : "multiply";
  putLayer({ name, enabled: true, blend, blend_in: "linear", amount: 1, mask: null, paint }, "Add a layer", stack);
}

/** Numbers of 0 to 1 as offsets that are seen and tear nothing apart: up to about half of how far elements stand apart. */
function ofSpacing(): Step {
  const { geometry, chosen } = useStore.getState();
  const apart = longestSide(1) / Math.sqrt(Math.max(1, geometry[chosen]?.header.count ?? 1));
  return { ...fresh("range"), to_low: 0, to_high: Number((apart / 2).toPrecision(2)) } as Step;
}

export function pasteLayer(stack = BASE_COLOUR) {
  const layer = copied<Layer>("layer");
  if (layer) putLayer(layer, "Paste a layer", stack);
}

export function layerLibrary() {
  const { chain } = useStore.getState();
  const stack = channelOf(stackOf(chain)) === null ? BASE_COLOUR : stackOf(chain);
  const layers = layersOf(chosenLook(useStore.getState())!, stack);
  const document = layers[(stackOf(chain) === stack ? layerOf(chain) : null) ?? layers.length - 1];
  openLibrary({ kind: "layer", document, onUse: (item) => putLayer(item.document as unknown as Layer, `Use the layer ${item.name}`, stack) });
}

/** The look of the chosen population, without what it shares with the scene. */
function plainLook(): Look | undefined {
  const state = useStore.getState();
  const population = chosenPopulation(state);
  return state.scene && population ? lookOf(state.scene, population) : undefined;
}

export function copyLook() {
  copy("look", plainLook());
}

export function pasteLook() {
  const other = copied<Look>("look");
  if (other) editLook("Paste a look", () => other);
}

export function lookLibrary() {
  const document = plainLook();
  openLibrary({ kind: "look", document, onUse: (item) => editLook(`Use the look ${item.name}`, () => item.document as unknown as Look) });
}
