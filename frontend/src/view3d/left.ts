/** Where a scene was looked at from last, in this browser: the view opens there again. */
import { useStore } from "../state/store";
import type { Seen } from "./camera";

const key = () => `gaudyseed-seen-${useStore.getState().sceneId}`;

/** Keep where the scene is looked at from; null forgets it, so that all of it is framed. */
export function leave(seen: Seen | null) {
  if (seen) localStorage.setItem(key(), JSON.stringify(seen));
  else localStorage.removeItem(key());
}

const place = (value: unknown) => Array.isArray(value) && value.length === 3 && value.every(Number.isFinite);

/** Where it was looked at from when it was left; null where that is not known. */
export function wasLeft(): Seen | null {
  try {
    const found = JSON.parse(localStorage.getItem(key()) ?? "null") as Seen | null;
    return found && place(found.position) && place(found.target) && Number.isFinite(found.angle) ? found : null;
  } catch {
    return null;
  }
}
