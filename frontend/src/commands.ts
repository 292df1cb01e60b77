/** Every action that the command search reaches. */
import { openWindow } from "./chain/EditorWindows";
import { addPicture } from "./chain/ElementPictures";
import { finishLibrary } from "./chain/Finishes";
import { someSeed } from "./chain/seeds";
import { addShape } from "./chain/Shapes";
import { pageOf, titleOf } from "./chain/steps";
import { usePicture } from "./library/PictureDialog";
import { duplicatePopulation } from "./rooms/gather/fresh";
import { openMaking } from "./rooms/gather/MakingDialog";
import { newPopulation } from "./rooms/gather/making";
import { openCosts } from "./rooms/EditCosts";
import { askRemoval } from "./rooms/Removal";
import { addable } from "./chain/AddStep";
import { toChannel } from "./chain/Lanes";
import { maskable } from "./chain/masks";
import { openMuted } from "./chain/Remarks";
import { ranked } from "./widgets/Finder";
import { openStates } from "./rooms/EarlierStates";
import { download } from "./rooms/publish/PublishRoom";
import { saveScene } from "./rooms/publish/save";
import { addDial, addLayer, addSignal, copyLook, layerLibrary, lookLibrary, pasteLayer, pasteLook, reuseAsSignal } from "./state/actions";
import { makeOwn, shareLook } from "./chain/Wears";
import { chainAt, laneStack, lookOf, paintOf, placeOf, signalOf, withChain, withStep } from "./state/edits";
import { editRamp } from "./state/ramps";
import { addPainted, chooseChain, choosePopulation, chooseStep, chosenLook, chosenPopulation, deleteScene, duplicateScene, edit, editLook, goTo, isShown, lookWith, newScene, openScene, pickBrush, pinPreview, play, reachesTime, restoreScene, setShown, showAlone, showRoom, toKey, trace, travel, useStore } from "./state/store";
import { flipTheme } from "./theme";
import { keepCamera, lookThrough } from "./view3d/Cameras";
import { frameAll } from "./view3d/framing";
import type { Command } from "./widgets/CommandSearch";

function steps() {
  const state = useStore.getState();
  const look = chosenLook(state);
  return { state, population: chosenPopulation(state), chain: look ? (chainAt(look, state.chain) ?? []) : [] };
}

function reseedAll() {
  const { state } = steps();
  editLook("Reseed", (look) =>
    withChain(look, state.chain, (all) => all.map((s) => ("seed" in s ? { ...s, seed: someSeed() } : s))),
  );
}

function rampAction(action: "flip" | "space_evenly" | "space_by_share" | "snap") {
  const { state, chain } = steps();
  const index = chain.findLastIndex((s) => s.step === "ramp" && s.enabled);
  if (index >= 0) void editRamp(placeOf(state.chain, index), action);
}

export function commands(): Command[] {
  const { state, chain, population } = steps();
  const setView = (label: string, change: Partial<NonNullable<typeof state.scene>["view"]>) => () =>
    edit(label, (scene) => ({ ...scene, view: { ...scene.view, ...change } }));
  const list: Command[] = [
    { name: "Go to Gather", keys: "Alt+1", run: () => showRoom("gather") },
    { name: "Go to Colour", keys: "Alt+2", run: () => showRoom("colour") },
    { name: "Go to Publish", keys: "Alt+3", run: () => showRoom("publish") },
    { name: "Undo", keys: "Ctrl+Z", run: () => void travel("undo") },
    { name: "Redo", keys: "Ctrl+Shift+Z", run: () => void travel("redo") },
    { name: "Make something…", run: () => (showRoom("gather"), openMaking()) },
    ...state.makers
      .filter((m) => m.offered)
      .flatMap((m) => [
        { name: `Make ${m.title.toLowerCase()}`, run: () => (showRoom("gather"), newPopulation(m)) },
        ...m.beginnings.map((b) => ({ name: `Make ${b.name.toLowerCase()}`, run: () => (showRoom("gather"), newPopulation(m, b.parameters, b.name)) })),
      ]),
    { name: "What an edit costs", run: openCosts },
    { name: "Palette from a picture", run: () => (showRoom("colour"), usePicture.setState({ open: true })) },
    { name: "Show as all viewers see it", run: () => lookWith(null) },
    { name: "Show as with protanopia", run: () => lookWith("protanopia") },
    { name: "Show as with deuteranopia", run: () => lookWith("deuteranopia") },
    { name: "Show as with tritanopia", run: () => lookWith("tritanopia") },
    { name: "Show all elements as a table", run: () => (showRoom("gather"), useStore.setState({ table: true })) },
    { name: "Frame all in the view", keys: "0", run: frameAll },
    { name: "Keep what is seen now as a camera", run: keepCamera },
    ...(state.scene?.cameras ?? []).map((camera) => ({ name: `Look through ${camera.name}`, run: () => lookThrough(camera) })),
    { name: "Show flat colour", run: setView("Change the shading", { shading: "flat" }) },
    { name: "Show the finished look", run: setView("Change the shading", { shading: "finished" }) },
    { name: "Light surround", run: setView("Change the surround", { surround: "light" }) },
    { name: "Mid grey surround", run: setView("Change the surround", { surround: "mid" }) },
    { name: "Dark surround", run: setView("Change the surround", { surround: "dark" }) },
    { name: "Switch between light and dim interface", run: flipTheme },
  ];
  if (population) {
    list.push(
      { name: `Duplicate ${population.name}`, run: () => duplicatePopulation(population.id, true) },
      { name: `Duplicate ${population.name} without its look`, run: () => duplicatePopulation(population.id, false) },
      { name: "Reseed the chain", run: reseedAll },
      { name: "Flip the ramp", run: () => rampAction("flip") },
      { name: "Space the ramp's stops evenly", run: () => rampAction("space_evenly") },
      { name: "Space the ramp's stops by share", run: () => rampAction("space_by_share") },
      { name: "Snap the ramp's stops", run: () => rampAction("snap") },
      { name: "Add a signal", run: () => (showRoom("colour"), addSignal()) },
      { name: "Add a number dial", run: () => (showRoom("colour"), addDial(0.5)) },
      { name: "Add a colour dial", run: () => (showRoom("colour"), addDial("#c8553d")) },
      { name: "Add a layer", run: () => (showRoom("colour"), addLayer()) },
      { name: "Paste a layer", run: () => pasteLayer() },
      { name: "Add a finish from the library", run: () => (showRoom("colour"), finishLibrary(undefined, null)) },
      { name: "Add a shape", run: () => (showRoom("colour"), chooseChain(paintOf(0, laneStack("shape"))), addShape()) },
      { name: "Put a picture on the elements", run: () => (showRoom("colour"), chooseChain(paintOf(0, laneStack("picture_mix"))), addPicture()) },
      ...(signalOf(state.chain) || chain.length === 0 ? [] : [{ name: "Reuse the chain as signal", run: () => reuseAsSignal(state.chain) }]),
      { name: "Layers in the library", run: layerLibrary },
      { name: "Copy the whole look", run: copyLook },
      { name: "Put a marker in the view", run: () => (showRoom("colour"), useStore.setState({ tool: { kind: "marker" } })) },
      { name: "Paint a new weight", run: () => (showRoom("colour"), addPainted("number")) },
      { name: "Paint new colours", run: () => (showRoom("colour"), addPainted("colour")) },
      ...population.painted.flatMap(({ name, kind }) => (kind === "vector" ? [] : [{ name: `Paint ${name}`, run: () => (showRoom("colour"), pickBrush(name, kind)) }])),
      ...(state.tool ? [{ name: "Put the tool away", run: () => useStore.setState({ tool: null }) }] : []),
      { name: "Paste a whole look", run: pasteLook },
      { name: "Looks in the library", run: lookLibrary },
      { name: "Show the result in the view, not a value", run: () => pinPreview(null) },
      { name: "Trace the first element", run: () => trace(0) },
      { name: "Close the trace", run: () => trace(null) },
      { name: "Share the look with other populations", run: () => shareLook(population.id) },
      { name: "Make the look the population's own", run: () => makeOwn(population.id) },
      { name: "Show this population alone", run: () => showAlone(population.id) },
      { name: "Show all populations", run: () => showAlone(null) },
      ...state.formats.map(({ name, title }) => ({ name: `Download ${title}`, run: () => void download(name) })),
      { name: "Download look file", run: () => void download("look") },
      ...state.channels.map(({ name, title }) => ({
        name: `Show the channel ${title}`,
        run: () => (showRoom("colour"), toChannel(lookOf(state.scene!, population), name)),
      })),
    );
    chain.forEach((step, k) => {
      const title = titleOf(step.step);
      list.push({ name: `Open step ${k + 1}: ${title}`, run: () => (showRoom("colour"), chooseStep(k)) });
      if (pageOf(step.step).large) list.push({ name: `Open step ${k + 1}: ${title}, in a window`, run: () => (showRoom("colour"), openWindow(state.chain, k)) });
      list.push({
        name: `${step.enabled ? "Switch off" : "Switch on"} step ${k + 1}: ${title}`,
        run: () => editLook("Switch a step", (look) => withStep(look, state.chain, k, { ...step, enabled: !step.enabled })),
      });
    });
    for (const item of ranked(addable(state.chain), "")) if (!item.reason) list.push({ name: `Add the step ${item.title}`, run: () => (showRoom("colour"), item.run()) });
    for (const item of maskable()) if (!item.reason) list.push({ name: `Mask this layer: ${item.title.toLowerCase()}`, run: () => (showRoom("colour"), item.run()) });
    list.push({ name: "Remarks left as they are", run: () => (showRoom("colour"), openMuted(true)) });
  }
  if (reachesTime(state) && state.scene) {
    const { first, last } = state.scene.timeline;
    list.push(
      { name: state.playing ? "Stop playing" : "Play", run: () => play(!state.playing) },
      { name: "Next key", run: () => toKey(1) },
      { name: "Key before", run: () => toKey(-1) },
      { name: "Go to the first frame", run: () => goTo(first) },
      { name: "Go to the last frame", run: () => goTo(last) },
    );
  }
  for (const p of state.scene?.populations ?? []) {
    list.push({ name: `Choose ${p.name}`, run: () => choosePopulation(p.id) });
    const shown = isShown({ ...state, alone: null }, p);
    list.push({ name: `Rename ${p.name}`, run: () => useStore.setState({ naming: p.id }) });
    list.push({ name: `Remove ${p.name}`, run: () => void askRemoval({ kind: "population", id: p.id }) });
    list.push({ name: `${shown ? "Hide" : "Show"} ${p.name}`, run: () => setShown(p.id, !shown) });
  }
  list.push({ name: "New scene", run: () => void newScene() });
  list.push({ name: "Save the scene's document", run: saveScene });
  list.push({ name: "Duplicate the scene", run: () => void duplicateScene() });
  list.push({ name: "Delete the scene", run: () => void deleteScene() });
  list.push({ name: "Earlier states of the scene", run: () => void openStates() });
  for (const s of state.removedScenes) list.push({ name: `Put the scene ${s.name} back`, run: () => void restoreScene(s.id) });
  for (const s of state.scenes) if (s.id !== state.sceneId) list.push({ name: `Open the scene ${s.name}`, run: () => void openScene(s.id) });
  return list;
}
