/** The view: which room is open, and how the view shows the scene. */
import type { Weigh } from "../api/evaluator";
import type { Brush, Preview, Vision } from "../api/client";

export type Room = "gather" | "colour" | "publish";

export interface ViewSlice {
  room: Room;
  /** Whether the table of elements is open. */
  table: boolean;
  /** What the view shows instead of the result, and whether it stays when the pointer goes. */
  preview: Preview | null;
  pinned: Preview | null;
  /** How values are shown in the view. */
  scale: Preview["scale"];
  vision: Vision | null;
  /** What shares are measured by. */
  weigh: Weigh;
  /** The one population that the view shows, while it shows one alone. */
  alone: string | null;
  /** Whether the handles of the chosen population's place are in the view. */
  placing: boolean;
  /** What the pointer does in the view in place of turning it. */
  tool: Tool | null;
  /** The brush, and the painted column that it works on. */
  brush: Brush;
}

/** A line drawn for the falloff at a place, a marker put where one clicks, or a painted column under the brush. */
export type Tool = { kind: "line"; place: string } | { kind: "marker" } | { kind: "paint"; column: string };

export const viewing: ViewSlice = { room: "colour", table: false, preview: null, pinned: null, scale: "greys", vision: null, weigh: "count", alone: null, placing: false, tool: null, brush: { radius: 0.3, hardness: 0.4, strength: 1, way: "add", value: 1, mirror: "" } };
