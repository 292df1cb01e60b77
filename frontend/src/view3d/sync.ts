/** Keeps the stage in step with the state: what is shown, where, and how it is lit. */
import { binary, type Material, type PopulationDocument, type SurfaceHeader } from "../api/client";
import { awaited, materialOf, placementOf, receive } from "../state/results";
import { arrayOf, isShown, type State, useStore } from "../state/store";
import type { Drawn, Way } from "./drawers/drawer";
import { elementPicture } from "./elementPictures";
import { leave, wasLeft } from "./left";
import { persisted } from "./persisted";
import { quality } from "./quality";
import { shapeGeometry } from "./shapes";
import type { Stage, Surface } from "./Stage";
import { takeSlots } from "./values";

const surfaces = new Map<string, Surface>();

/** The arrays of a population that a drawer may want, whatever has come. */
const NAMES = () => [
  "base_colour",
  "groups",
  "preview",
  "ways",
  "normals",
  ...useStore.getState().channels.flatMap(({ name }) => [name, `${name}.at`, `${name}.table`]),
];

/** Of a population whose look has not run: its elements stand there all the same. */
function plain(p: PopulationDocument): Pick<Material, "shapes"> {
  return { shapes: [{ key: typeof p.shape === "string" && p.shape !== "glow" && p.shape !== "haze" ? p.shape : "sequin", size: 1, picture: null }] };
}

/** Keep the stage in step until the returned function is called; `took` hears how long each answer took to be in place. */
export function synced(stage: Stage, took: (milliseconds: number) => void): () => void {
  const framed = new Set<string>();
  let opened = { scene: "", ids: new Set<string>() };
  let before: State | null = null;
  let ended = false;

  receive((id, names, asked) => {
    for (const name of names) stage.setLane(id, name, arrayOf(id, name) ?? null);
    const placement = placementOf(id);
    if (placement) stage.place(id, placement);
    material(id);
    const state = useStore.getState();
    if (id !== state.chosen) return;
    // Colours that came before what has them are there once it is drawn.
    const whose = state.scene?.populations.find((p) => p.id === id);
    if (whose && isShown(state, whose) && !stage.shown.includes(id)) return;
    stage.told(asked === null);
    if (asked === null) return;
    stage.applied();
    took(performance.now() - asked);
  });

  async function fetchGround(name: string) {
    const found = await persisted(() => binary<SurfaceHeader>("GET", `/surfaces/${name}?coarse=${quality().coarse}`));
    if (!found) return;
    const { arrays } = found;
    surfaces.set(name, {
      positions: arrays.positions as Float32Array,
      normals: arrays.normals as Float32Array,
      gloss: arrays.gloss as Float32Array,
      faces: arrays.faces as Int32Array,
    });
    if (!ended) step(useStore.getState(), true);
  }

  /** The material of a population as it was told last, with the textures of its pictures that have come. */
  function material(id: string) {
    const found = materialOf(id);
    if (!found) return;
    const pictures = found.shapes.map(({ picture }) => picture && elementPicture(picture, () => !ended && material(id)));
    stage.setMaterial(id, found, pictures);
    stage.awaits(id, found.shapes.some(({ picture }, k) => picture && !pictures[k]));
  }

  /** The populations that are shown and have come, with the shapes that they are drawn as; those whose shapes are on their way wait. */
  function populations(state: State) {
    return (state.scene?.populations ?? []).flatMap((p) => {
      const geometry = state.geometry[p.id];
      const told = materialOf(p.id) ?? plain(p);
      if (!geometry || !isShown(state, p)) return [];
      const apart = geometry.header.drawn !== "instances" || "shape_positions" in geometry.arrays;
      const shapes = apart ? [] : told.shapes.map(({ key }) => ({ key, geometry: shapeGeometry(key, () => !ended && step(useStore.getState(), true)) }));
      const soft = geometry.header.kind === "particles" ? (state.results[p.id]?.shape ?? p.shape) : null;
      const way: Way | null = soft === "glow" || soft === "haze" ? soft : null;
      return shapes.every((shape): shape is Drawn => shape.geometry !== null) ? [{ id: p.id, geometry, shapes, way }] : [];
    });
  }

  function step(state: State, forced = false) {
    if (state.channels !== before?.channels) takeSlots(state.channels);
    const last = before;
    before = state;
    stage.setChosen(state.chosen);
    const moved =
      forced || !last || state.scene !== last.scene || state.geometry !== last.geometry || state.alone !== last.alone || state.results !== last.results;
    if (moved) showAll(state);
    if (!last || state.scene?.view !== last.scene?.view) {
      stage.setSurround(state.scene?.view.surround ?? "mid");
      stage.setShading(state.scene?.view.shading ?? "finished");
      stage.setBackdrop(state.scene?.view.backdrop ?? null);
      stage.setLight(state.scene?.view.light_turn ?? 0, state.scene?.view.light_strength ?? 1);
    }
    if (!last || state.isolated !== last.isolated || state.part !== last.part || state.chosen !== last.chosen) isolated(state);
  }

  /** Single out the group or the part that is chosen. */
  function isolated(state: State) {
    const parts = state.part === null ? null : (state.geometry[state.chosen]?.arrays.parts ?? null);
    stage.isolate(state.chosen, parts ? state.part : state.isolated, parts);
  }

  function showAll(state: State) {
    const shown = populations(state);
    const ids = new Set(shown.map(({ id }) => id));
    for (const id of stage.shown) if (!ids.has(id)) stage.remove(id);
    let fresh = false;
    let again = false;
    // What was there when the scene was opened is seen as it was left.
    if (opened.scene !== state.sceneId) opened = { scene: state.sceneId, ids: new Set(state.scene?.populations.map((p) => p.id)) };
    const left = wasLeft();
    for (const { id, geometry, shapes, way } of shown) {
      if (stage.show(id, geometry, shapes, way)) {
        for (const name of NAMES()) stage.setLane(id, name, arrayOf(id, name) ?? null);
        material(id);
        if (arrayOf(id, "base_colour")) stage.applied();
        if (id === state.chosen) stage.told(!awaited(id));
        isolated(state);
      }
      const result = state.results[id];
      if (result?.placement) stage.place(id, result.placement);
      // Where it stands comes with its first colours, mostly after its places: then it is framed anew.
      const subject = `${id} ${geometry.header.ground}`;
      for (const known of result ? [subject, `${subject}, placed`] : [subject]) {
        if (!framed.has(known) && !(left && opened.ids.has(id))) fresh = true;
        again ||= !framed.has(known);
        framed.add(known);
      }
    }
    const ground = grounds(shown.map(({ id, geometry }) => [id, geometry.header.ground]));
    if (fresh || (ground && !left)) {
      stage.frame();
      // Something new was brought into view: so the scene opens next time.
      leave(null);
    } else if (left && (again || ground)) stage.view.look(left);
  }

  /** Show the surfaces that have come and ask for the others; says whether one is seen for the first time. */
  function grounds(wanted: [string, string | null][]): boolean {
    const there = new Map<string, { surface: Surface; matrix: number[] | null }>();
    let fresh = false;
    for (const [id, name] of wanted) {
      if (name === null) continue;
      const surface = surfaces.get(name);
      if (surface) {
        there.set(id, { surface, matrix: placementOf(id) ?? null });
        fresh ||= !framed.has(name);
        framed.add(name);
      } else if (!asked.has(name)) {
        asked.add(name);
        void fetchGround(name);
      }
    }
    stage.setGrounds(there);
    return fresh;
  }
  const asked = new Set<string>();

  const stop = useStore.subscribe((state) => step(state));
  step(useStore.getState());
  return () => {
    ended = true;
    receive(null);
    stop();
  };
}
