/** Keeps the stage in step with the state: what is shown, where, and how it is lit. */
import { binary, type SurfaceHeader } from "../api/client";
import { awaited, placementOf, receive } from "../state/results";
import { arrayOf, isShown, type State, useStore } from "../state/store";
import { quality } from "./quality";
import type { Stage, Surface } from "./Stage";

const surfaces = new Map<string, Surface>();

/** The arrays of a population that a drawer may want, whatever has come. */
const NAMES = () => ["base_colour", "groups", "preview", ...useStore.getState().channels.map((c) => c.name)];

/** Keep the stage in step until the returned function is called; `took` hears how long each answer took to be in place. */
export function synced(stage: Stage, took: (milliseconds: number) => void): () => void {
  const framed = new Set<string>();
  let before: State | null = null;
  let ended = false;

  receive((id, names, asked) => {
    for (const name of names) stage.setLane(id, name, arrayOf(id, name) ?? null);
    const placement = placementOf(id);
    if (placement) stage.place(id, placement);
    if (id !== useStore.getState().chosen) return;
    stage.told(asked === null);
    if (asked === null) return;
    stage.applied();
    took(performance.now() - asked);
  });

  async function fetchGround(name: string) {
    const { arrays } = await binary<SurfaceHeader>("GET", `/surfaces/${name}?coarse=${quality().coarse}`);
    surfaces.set(name, {
      positions: arrays.positions as Float32Array,
      normals: arrays.normals as Float32Array,
      gloss: arrays.gloss as Float32Array,
      faces: arrays.faces as Int32Array,
    });
    if (!ended) step(useStore.getState(), true);
  }

  /** The populations that are shown and have come, with what they are drawn as. */
  function populations(state: State) {
    return (state.scene?.populations ?? []).flatMap((p) => {
      const geometry = state.geometry[p.id];
      const shape = typeof p.shape === "string" ? p.shape : (state.results[p.id]?.shape ?? "sequin");
      return geometry && isShown(state, p) ? [{ id: p.id, geometry, shape }] : [];
    });
  }

  function step(state: State, forced = false) {
    const last = before;
    before = state;
    const moved =
      forced || !last || state.scene !== last.scene || state.geometry !== last.geometry || state.alone !== last.alone || state.results !== last.results;
    if (moved) showAll(state);
    if (!last || state.scene?.view !== last.scene?.view) {
      stage.setSurround(state.scene?.view.surround ?? "mid");
      stage.setShading(state.scene?.view.shading ?? "finished");
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
    for (const { id, geometry, shape } of shown) {
      if (stage.show(id, geometry, shape)) {
        for (const name of NAMES()) stage.setLane(id, name, arrayOf(id, name) ?? null);
        if (arrayOf(id, "base_colour")) stage.applied();
        if (id === state.chosen) stage.told(!awaited(id));
        isolated(state);
      }
      const placement = state.results[id]?.placement;
      if (placement) stage.place(id, placement);
      const subject = `${id} ${geometry.header.ground}`;
      fresh ||= !framed.has(subject);
      framed.add(subject);
    }
    fresh = grounds(shown.map(({ id, geometry }) => [id, geometry.header.ground])) || fresh;
    if (fresh) stage.frame();
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
