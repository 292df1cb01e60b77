/** Bringing things into view at somebody's wish; the scene then opens so. */
import { view } from "./current";
import { leave } from "./left";

/** All of the scene, from the first direction. */
export function frameAll() {
  view.stage?.frame();
  leave(null);
}

/** One population. */
export function frameOne(id: string) {
  view.stage?.frame(id);
  leave(view.stage?.view.seen ?? null);
}
