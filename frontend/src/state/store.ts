/** The state of the page: the draft, what the core said about it, and what is chosen. */
import { create } from "zustand";
import {
  binary,
  type EarlierState,
  type EvaluationHeader,
  json,
  type Look,
  type Maker,
  type PopulationDocument,
  type PopulationHeader,
  type Preview,
  Refused,
  type Scene,
  type SceneAnswer,
  type SceneListed,
  type StepDescription,
  type StepList,
  type Vision,
} from "../api/client";
import { EvaluationQueue } from "../api/evaluator";
import { BASE_COLOUR, chainAt, layerOf, layersOf, paintOf, signalChain, signalOf, stackOf, withPopulation } from "./edits";
import { type SaveState, Saver } from "./saver";

/** The one empty list, so that a selector without a result always gives the same value. */
export const NONE: never[] = [];

export type Room = "gather" | "colour" | "publish";

/** Arrays for the view; kept outside the reactive state because they are large. */
export interface Geometry {
  key: string;
  header: PopulationHeader;
  positions: Float32Array;
  orientations: Float32Array;
  sizes: Float32Array;
}

interface State {
  room: Room;
  /** All scenes there are, and those that were deleted, as they were listed last. */
  scenes: SceneListed[];
  removedScenes: SceneListed[];
  sceneId: string;
  scene: Scene | null;
  canUndo: boolean;
  canRedo: boolean;
  saving: SaveState;
  saveSentence: string;
  /** Something that did not work or was done, told until it is closed. */
  notice: string;
  /** Told to screen readers. */
  announcement: string;
  loadError: string;
  steps: StepDescription[];
  scatterSchema: Record<string, unknown>;
  chosen: string;
  /** The path of the chain that is shown, in the chosen population's look. */
  chain: string;
  step: number | null;
  stop: number;
  results: Record<string, EvaluationHeader>;
  errors: Record<string, Refused | null>;
  geometry: Record<string, Geometry>;
  making: Record<string, boolean>;
  colours: Record<string, Uint8Array>;
  colourVersion: number;
  /** When the colours that are shown were asked for. */
  askedAt: number;
  isolated: number | null;
  /** Whether the table of elements is open. */
  table: boolean;
  /** What the view shows instead of the result, and whether it stays when the pointer goes. */
  preview: Preview | null;
  pinned: Preview | null;
  /** How values are shown in the view. */
  scale: Preview["scale"];
  vision: Vision | null;
  /** Takes the colour of the element that is clicked next in the view. */
  picking: ((colour: string) => void) | null;
  traced: number | null;
}

const initial: State = {
  room: "colour",
  scenes: [],
  removedScenes: [],
  sceneId: "",
  scene: null,
  canUndo: false,
  canRedo: false,
  saving: "saved",
  saveSentence: "",
  notice: "",
  announcement: "",
  loadError: "",
  steps: [],
  scatterSchema: {},
  chosen: "",
  chain: paintOf(0),
  step: null,
  stop: 0,
  results: {},
  errors: {},
  geometry: {},
  making: {},
  colours: {},
  colourVersion: 0,
  askedAt: 0,
  isolated: null,
  table: false,
  preview: null,
  pinned: null,
  scale: "greys",
  vision: null,
  picking: null,
  traced: null,
};

export const useStore = create<State>(() => initial);
const { setState: set, getState: get } = useStore;

let saver: Saver | null = null;
const queues = new Map<string, EvaluationQueue>();

export function chosenPopulation(state: State): PopulationDocument | null {
  return state.scene?.populations.find((p) => p.id === state.chosen) ?? null;
}

// Loading

export async function start() {
  try {
    const [scenes, steps] = await Promise.all([listScenes(), json<StepList>("GET", "/steps")]);
    set({ steps: steps.steps, scatterSchema: steps.scatter });
    const wanted = new URLSearchParams(location.search).get("scene");
    const id = wanted ?? scenes[0]?.id;
    const answer = id ? await json<SceneAnswer>("GET", `/scenes/${encodeURIComponent(id)}`) : await begun();
    saver = new Saver(answer.id, answer.revision, (saving, saved, saveSentence) =>
      set({ saving, saveSentence, ...(saved ? { canUndo: saved.can_undo, canRedo: saved.can_redo } : {}) }),
    );
    set({ sceneId: answer.id, notice: sessionStorage.getItem(LATER) ?? "" });
    sessionStorage.removeItem(LATER);
    show(answer);
  } catch (error) {
    set({ loadError: (error as Error).message || "The server cannot be reached." });
  }
}

/** A sentence for the page that comes next. */
const LATER = "gaudyseed notice";

window.addEventListener("beforeunload", (event) => {
  const { saving } = get();
  if (saving !== "saved") event.preventDefault();
});

/** Tell something until it is closed. */
export function tell(notice: string) {
  set({ notice });
}

/** Tell screen readers what has happened. */
export function announce(announcement: string) {
  set({ announcement });
}

/** Do something with scenes; what does not work is told. */
async function trying(work: () => Promise<void>) {
  try {
    await work();
  } catch (error) {
    tell((error as Error).message);
  }
}

const begun = () => json<SceneAnswer>("POST", "/scenes", { document: { gaudyseed: 2, name: "Untitled" } });

export async function listScenes(): Promise<SceneListed[]> {
  const { scenes, removed } = await json<{ scenes: SceneListed[]; removed: SceneListed[] }>("GET", "/scenes");
  set({ scenes, removedScenes: removed });
  return scenes;
}

/** Go to another scene, once all of this one is saved. */
export async function openScene(id: string) {
  await saver?.settled();
  const address = new URL(location.href);
  address.searchParams.set("scene", id);
  location.assign(address);
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
    const { name } = await json<SceneListed>("DELETE", `/scenes/${get().sceneId}`);
    const left = (await listScenes())[0];
    sessionStorage.setItem(LATER, `${name} was deleted. The scene's menu can put it back.`);
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
  settle();
  refreshAll();
}

/** Keep what is chosen within what there is. */
function settle() {
  const state = get();
  const look = chosenPopulation(state)?.look;
  let chain = state.chain;
  let step = state.step;
  if (look && !chainAt(look, chain)) {
    const signal = signalOf(chain);
    // A layer that is gone gives way to the next one of its stack, the last one of a signal to its own chain.
    const stack = signal !== null && look.signals[signal] ? stackOf(chain) : BASE_COLOUR;
    const layers = layersOf(look, stack);
    const layer = Math.max(0, Math.min(layerOf(chain) ?? 0, layers.length - 1));
    chain = layers.length === 0 && signal !== null && stack !== BASE_COLOUR ? signalChain(signal) : paintOf(layer, stack);
    step = null;
  }
  const steps = look ? (chainAt(look, chain) ?? []) : [];
  if (step === null || step >= steps.length) {
    const ramp = steps.findIndex((s) => s.step === "ramp" || s.step === "palette");
    step = steps.length === 0 ? null : ramp >= 0 ? ramp : 0;
  }
  const opened = step === null ? undefined : steps[step];
  const stop = opened?.step === "ramp" ? Math.min(state.stop, opened.stops.length - 1) : 0;
  set({ chain, step, stop });
}

function refreshAll() {
  for (const p of get().scene?.populations ?? []) refresh(p.id);
}

/** Ask for the geometry if the maker changed, and for the colours. */
function refresh(id: string) {
  const state = get();
  const population = state.scene?.populations.find((p) => p.id === id);
  if (!state.scene || !population) return;
  const key = JSON.stringify(population.maker);
  if (state.geometry[id]?.key !== key) void make(id, population.maker, key);
  queueFor(id).ask({
    scene: state.scene,
    population: id,
    trace: id === state.chosen ? state.traced : null,
    preview: id === state.chosen ? (state.preview ?? state.pinned) : null,
    vision: state.vision,
    census: id === state.chosen,
  });
}

async function make(id: string, maker: Maker, key: string) {
  set((s) => ({ making: { ...s.making, [id]: true } }));
  try {
    const { header, arrays } = await binary<PopulationHeader>("POST", "/populations", { maker });
    const current = get().scene?.populations.find((p) => p.id === id);
    if (!current || JSON.stringify(current.maker) !== key) return;
    const geometry: Geometry = {
      key,
      header,
      positions: arrays.positions as Float32Array,
      orientations: arrays.orientations as Float32Array,
      sizes: arrays.sizes as Float32Array,
    };
    const traced = get().traced;
    set((s) => ({
      geometry: { ...s.geometry, [id]: geometry },
      traced: s.chosen === id && traced !== null && traced >= header.count ? null : traced,
    }));
  } catch (error) {
    set((s) => ({ errors: { ...s.errors, [id]: error as Refused } }));
  } finally {
    set((s) => ({ making: { ...s.making, [id]: false } }));
  }
}

function queueFor(id: string): EvaluationQueue {
  let queue = queues.get(id);
  if (!queue) {
    queue = new EvaluationQueue(id, {
      done: ({ header, arrays }, took) => {
        set((s) => ({
          results: { ...s.results, [id]: header },
          errors: { ...s.errors, [id]: null },
          colours: { ...s.colours, [id]: arrays.colours as Uint8Array },
          colourVersion: s.colourVersion + 1,
          askedAt: performance.now() - took,
        }));
      },
      failed: (error) => set((s) => ({ errors: { ...s.errors, [id]: error } })),
    });
    queues.set(id, queue);
  }
  return queue;
}

// Editing

/** Change the draft and show the result at once, without saving: for a drag under way. */
export function draft(edit: (scene: Scene) => Scene) {
  const before = get().scene;
  if (!before) return;
  const scene = edit(before);
  set({ scene });
  // A dial may be followed anywhere; whatever else changes, changes the populations that are new objects.
  const turned = scene.dials !== before.dials;
  const { chosen } = get();
  for (const p of scene.populations.toSorted((a, b) => Number(b.id === chosen) - Number(a.id === chosen))) {
    if (turned || !before.populations.includes(p)) refresh(p.id);
  }
}

/** Save the draft as one revision. */
export function commit(label: string) {
  const { scene, pinned } = get();
  if (scene) saver?.save(scene, label);
  // A step that was looked at may have moved or gone.
  if (pinned?.of === "step") pinPreview(null);
  settle();
}

export function edit(label: string, change: (scene: Scene) => Scene) {
  draft(change);
  commit(label);
}

export function editPopulation(label: string, change: (p: PopulationDocument) => PopulationDocument) {
  edit(label, (scene) => withPopulation(scene, get().chosen, change));
}

export function editLook(label: string, change: (look: Look) => Look) {
  editPopulation(label, (p) => ({ ...p, look: change(p.look) }));
}

export function draftLook(change: (look: Look) => Look) {
  draft((scene) => withPopulation(scene, get().chosen, (p) => ({ ...p, look: change(p.look) })));
}

export async function travel(direction: "undo" | "redo") {
  const state = get();
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

// Choosing

export function choosePopulation(id: string) {
  if (id === get().chosen) return;
  set({ chosen: id, chain: paintOf(0), step: null, stop: 0, isolated: null, traced: null, preview: null, pinned: null });
  settle();
  refresh(id);
}

export function chooseChain(chain: string, step: number | null = null) {
  set({ chain, step, stop: 0 });
  settle();
}

export function chooseStep(step: number, stop = 0) {
  set({ step, stop });
}

export function isolate(group: number | null) {
  if (get().isolated !== group) set({ isolated: group });
}

export function lookWith(vision: Vision | null) {
  set({ vision });
  refreshAll();
}

/** Show a value in the view while it is pointed at. */
export function showPreview(preview: Preview | null) {
  if (same(get().preview, preview)) return;
  set({ preview });
  refresh(get().chosen);
}

/** Keep a value in the view, or stop keeping it. */
export function pinPreview(preview: Preview | null) {
  set({ pinned: same(get().pinned, preview) ? null : preview, preview: null });
  refresh(get().chosen);
}

export function same(one: Preview | null, other: Preview | null): boolean {
  return one?.of === other?.of && one?.name === other?.name && one?.scale === other?.scale;
}

export function trace(element: number | null) {
  set({ traced: element });
  refresh(get().chosen);
}

export function showRoom(room: Room) {
  set({ room });
}

export function addPopulation(population: PopulationDocument) {
  edit(`Add ${population.name}`, (scene) => ({ ...scene, populations: [...scene.populations, population] }));
  choosePopulation(population.id);
}

export function removePopulation(id: string) {
  const name = get().scene?.populations.find((p) => p.id === id)?.name ?? "population";
  edit(`Remove ${name}`, (scene) => ({ ...scene, populations: scene.populations.filter((p) => p.id !== id) }));
  const left = get().scene?.populations ?? [];
  if (!left.some((p) => p.id === get().chosen)) {
    set({ chosen: "" });
    if (left[0]) choosePopulation(left[0].id);
  }
}

export function rememberColour(colour: string) {
  const scene = get().scene;
  if (!scene) return;
  const recent = [colour, ...scene.recent_colours.filter((c) => c !== colour)].slice(0, 12);
  set({ scene: { ...scene, recent_colours: recent } });
}
