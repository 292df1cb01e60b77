/** The page's address, /scene/ID/room, for bookmarks, the browser's back and forward, and two tabs; its title; and which population was chosen. */
import { useStore } from "./base";
import type { Room } from "./view.slice";

const ROOMS: Room[] = ["gather", "colour", "publish"];

/** The scene and the room that an address names; null where it names none. */
export function addressed(at: Location = location): { scene: string | null; room: Room | null } {
  const [, scene, room] = /^\/scene\/([^/]+)(?:\/([^/]+))?\/?$/.exec(at.pathname) ?? [];
  const query = new URLSearchParams(at.search).get("scene");
  return { scene: scene ? decodeURIComponent(scene) : query, room: ROOMS.find((r) => r === room) ?? null };
}

/** The address of a scene, and of a room in it; what else the present one asks for stays. */
export function addressOf(scene: string, room: Room | null = null): string {
  const query = new URLSearchParams(location.search);
  query.delete("scene");
  const rest = query.size > 0 ? `?${query}` : "";
  return `/scene/${encodeURIComponent(scene)}${room ? `/${room}` : ""}${rest}`;
}

const kept = (scene: string) => `gaudyseed-chosen-${scene}`;

/** The population that was chosen in a scene when it was left. */
export const chosenBefore = (scene: string) => localStorage.getItem(kept(scene)) ?? "";

/** Keep address, title and the chosen population's memory in step with the state. */
export function followAddress() {
  const { sceneId, room } = useStore.getState();
  history.replaceState(null, "", addressOf(sceneId, room));
  useStore.subscribe((state, before) => {
    if (state.room !== before.room && addressed().room !== state.room) history.pushState(null, "", addressOf(state.sceneId, state.room));
    if (state.chosen !== before.chosen && state.chosen) localStorage.setItem(kept(state.sceneId), state.chosen);
    if (state.scene?.name !== before.scene?.name) entitle();
  });
  window.addEventListener("popstate", () => {
    const to = addressed();
    if (to.scene !== null && to.scene !== useStore.getState().sceneId) location.reload();
    else useStore.setState({ room: to.room ?? "colour" });
  });
  entitle();
}

function entitle() {
  const name = useStore.getState().scene?.name;
  document.title = name ? `${name} · Gaudy Seed` : "Gaudy Seed";
}
