/** The one stage of the page, for commands from elsewhere. Types only: the 3D code loads on its own. */
import type { Stage } from "./Stage";

export const view: {
  stage: Stage | null;
  /** Told after every frame. */
  frames: Set<() => void>;
} = { stage: null, frames: new Set() };
