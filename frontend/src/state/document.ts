/** The document: loading, editing and saving scenes. */
import {
  type EarlierState,
  json,
  type Look,
  type PopulationDocument,
  Refused,
  type Scene,
  type SceneAnswer,
  type SceneListed,
  type StepList,
} from "../api/client";
import { addressed, addressOf, chosenBefore, followAddress } from "./address";
import { useStore } from "./base";
import { type LookInScene, withLook, withPopulation } from "./edits";
import { tell } from "./notices";
import { choosePopulation, settle } from "./selection";
import { coloursSeen } from "./results";
import { Saver } from "./saver";
import { fetchShipped } from "./shipped";
import { pinPreview } from "./view";

const { setState: set, getState: get } = useStore;

let saver: Saver | null = null;

/** Milliseconds for which an edit waits at most for its colours before it is saved. */
const COLOURS_FIRST = 150;

// Loading

export async function start() {
  try {
    const { scene: wanted, room } = addressed();
    const named = wanted === null ? null : json<SceneAnswer>("GET", `/scenes/${encodeURIComponent(wanted)}`);
    named?.catch(() => undefined);
    const [scenes, registered] = await Promise.all([listScenes(), json<StepList>("GET", "/steps")]);
    const { steps, channels, makers, kinds, formats, material } = registered;
    set({ steps, channels, makers, kinds, formats, material });
    void fetchShipped();
    const id = scenes[0]?.id;
    const answer = await (named ?? (id ? json<SceneAnswer>("GET", `/scenes/${encodeURIComponent(id)}`) : begun()));
    saver = new Saver(
      answer.id,
      answer.revision,
      (saving, saved, saveSentence) => set({ saving, saveSentence, ...(saved ? { canUndo: saved.can_undo, canRedo: saved.can_redo } : {}) }),
      () => coloursSeen(COLOURS_FIRST),
    );
    set({ sceneId: answer.id });
    tellLater();
    const empty = answer.document.populations.length === 0;
    set({ frame: answer.document.timeline.first, chosen: chosenBefore(answer.id), room: room ?? (empty ? "gather" : "colour") });
    show(answer);
    followAddress();
  } catch (error) {
    set({ loadError: (error as Error).message || "The server cannot be reached." });
  }
}

/** That a scene was deleted, for the page that comes next, which can put it back. */
const LATER = "gaudyseed deleted";

function tellLater() {
  const later = sessionStorage.getItem(LATER);
  sessionStorage.removeItem(LATER);
  if (!later) return;
  const { id, name } = JSON.parse(later) as { id: string; name: string };
  tell(`${name} was deleted.`, { label: "Undo", run: () => void restoreScene(id) });
}

window.addEventListener("beforeunload", (event) => {
  const { saving } = get();
  if (saving !== "saved") event.preventDefault();
});

/** Do something with scenes; what does not work is told. */
async function trying(work: () => Promise<void>) {
  try {
    await work();
  } catch (error) {
    tell((error as Error).message);
  }
}

const begun = () => json<SceneAnswer>("POST", "/scenes", { document: { gaudyseed: 3, name: "Untitled" } });

export async function listScenes(): Promise<SceneListed[]> {
  const { scenes, removed } = await json<{ scenes: SceneListed[]; removed: SceneListed[] }>("GET", "/scenes");
  set({ scenes, removedScenes: removed });
  return scenes;
}

/** Go to another scene, once all of this one is saved. */
export async function openScene(id: string) {
  await saver?.settled();
  location.assign(addressOf(id));
}

export function newScene() {
  return trying(async () => openScene((await begun()).id));
}

export function duplicateScene() {
  return trying(async () => {
    await saver?.settled();
    await openScene((await json<SceneAnswer>("POST", `/scenes/${get().sceneId}/duplicate`)).id);
  });
}

/** Take the scene out of the list and go to another one. */
export function deleteScene() {
  return trying(async () => {
    await saver?.settled();
    const { id, name } = await json<SceneListed>("DELETE", `/scenes/${get().sceneId}`);
    const left = (await listScenes())[0];
    sessionStorage.setItem(LATER, JSON.stringify({ id, name }));
    await openScene(left?.id ?? (await begun()).id);
  });
}

export function restoreScene(id: string) {
  return trying(async () => openScene((await json<SceneListed>("POST", `/scenes/${id}/restore`)).id));
}

/** Keep what is edited here, although another window has gone on, as a scene of its own. */
export function saveAsCopy() {
  return trying(async () => {
    const scene = get().scene;
    if (!scene) return;
    const document = { ...scene, name: `${scene.name.slice(0, 94)} copy` };
    const { id } = await json<SceneAnswer>("POST", "/scenes", { document });
    set({ saving: "saved" });
    await openScene(id);
  });
}

/** Go on with what the other window has saved. */
export function giveUp() {
  set({ saving: "saved" });
  location.reload();
}

function show(answer: SceneAnswer) {
  const chosen = get().chosen;
  const still = answer.document.populations.some((p) => p.id === chosen);
  set({
    scene: answer.document,
    canUndo: answer.can_undo,
    canRedo: answer.can_redo,
    chosen: still ? chosen : (answer.document.populations[0]?.id ?? ""),
    saving: "saved",
    saveSentence: "",
  });
  saver?.shows(answer.document);
  settle();
}

// Editing

/** Change the draft and show the result at once, without saving: for a drag under way. */
export function draft(edit: (scene: Scene) => Scene) {
  const before = get().scene;
  if (!before) return;
  const scene = edit(before);
  set({ scene });
}

/** Save the draft as one revision. */
export function commit(label: string) {
  const { scene, pinned } = get();
  if (scene) saver?.save(scene, label);
  // A step that was looked at may have moved or gone.
  if (pinned?.of === "step") pinPreview(null);
  settle();
}

/** Say "saving" while work is under way that ends with a revision, or with none. */
export async function expected(work: Promise<void>) {
  await (saver ? saver.expect(work) : work);
}

/** What is expected waits for the server, and is told as edits are that wait. */
export function waiting(error: unknown) {
  saver?.waiting(error);
}

/** It is tried again. */
export function again() {
  saver?.again();
}

export function edit(label: string, change: (scene: Scene) => Scene) {
  draft(change);
  commit(label);
}

export function editPopulation(label: string, change: (p: PopulationDocument) => PopulationDocument) {
  edit(label, (scene) => withPopulation(scene, get().chosen, change));
}

/** Change the look that the chosen population wears, and what it shares with the scene. */
export function editLook(label: string, change: (look: LookInScene) => Look) {
  edit(label, (scene) => withLook(scene, get().chosen, change));
}

export function draftLook(change: (look: LookInScene) => Look) {
  draft((scene) => withLook(scene, get().chosen, change));
}

export async function travel(direction: "undo" | "redo") {
  const state = get();
  const here = saver?.travelHere(direction) ?? null;
  if (here) {
    set({ scene: here, canRedo: true });
    settle();
    return tell(`${direction === "undo" ? "Undone" : "Done again"} in this window. The server cannot be reached; it is saved once that is back.`);
  }
  if (!saver || (direction === "undo" ? !state.canUndo && state.saving === "saved" : !state.canRedo)) return;
  await showState(direction);
}

/** The scene's earlier states, newest first, those of other branches too. */
export async function earlierStates(): Promise<EarlierState[]> {
  await saver?.settled();
  return (await json<{ states: EarlierState[] }>("GET", `/scenes/${get().sceneId}/states`)).states;
}

/** Show another state; a conflict is told by the saver. */
export async function showState(to: "undo" | "redo" | number) {
  try {
    if (saver) show(await saver.move(to));
  } catch (error) {
    if (!(error instanceof Refused && error.code === "conflict")) tell((error as Error).message);
  }
}

export function addPopulation(population: PopulationDocument) {
  edit(`Add ${population.name}`, (scene) => ({ ...scene, populations: [...scene.populations, population] }));
  choosePopulation(population.id);
}

/** Show a population in the view, or hide it; a dial that it followed is left. */
export function setShown(id: string, shown: boolean) {
  const name = get().scene?.populations.find((p) => p.id === id)?.name ?? "population";
  edit(`${shown ? "Show" : "Hide"} ${name}`, (scene) => withPopulation(scene, id, (p) => ({ ...p, shown })));
}

export function rememberColour(colour: string) {
  const scene = get().scene;
  if (!scene) return;
  const recent = [colour, ...scene.recent_colours.filter((c) => c !== colour)].slice(0, 12);
  set({ scene: { ...scene, recent_colours: recent } });
}
