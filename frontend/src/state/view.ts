/** The view: which room is open, and how the view shows the scene. */
import type { PopulationDocument, Preview, Vision } from "../api/client";
import { type State, useStore } from "./base";
import type { Room } from "./view.slice";

const { setState: set, getState: get } = useStore;

export function lookWith(vision: Vision | null) {
  set({ vision });
}

/** Show a value in the view while it is pointed at. */
export function showPreview(preview: Preview | null) {
  if (same(get().preview, preview)) return;
  set({ preview });
}

/** Show a value no longer that is pointed at, being gone from the list. */
export function forgetPreview(of: Preview["of"], name: string) {
  const { preview } = get();
  if (preview?.of === of && preview.name === name) set({ preview: null });
}

/** Keep a value in the view, or stop keeping it. */
export function pinPreview(preview: Preview | null) {
  set({ pinned: same(get().pinned, preview) ? null : preview, preview: null });
}

export function same(one: Preview | null, other: Preview | null): boolean {
  return one?.of === other?.of && one?.name === other?.name && one?.scale === other?.scale;
}

export function showRoom(room: Room) {
  set({ room });
}

/** Show one population alone, or all that are shown again. */
export function showAlone(population: string | null) {
  set({ alone: population });
}

/** Whether the view shows a population: the core says what follows a dial. */
export function isShown(state: State, p: PopulationDocument): boolean {
  if (state.alone !== null) return state.alone === p.id;
  return typeof p.shown === "boolean" ? p.shown : (state.results[p.id]?.shown ?? true);
}
