/** The one owner of dragging with the pointer and moving with the keys, for ramps, curves, number fields and sliders. */
import { useRef } from "react";

interface Drag<T> {
  /** While the pointer moves: what is held now; the same again where nothing has changed. */
  move: (held: T, event: React.PointerEvent) => T;
  /** When the pointer is let go; `moved` says whether what is held was ever another. */
  end?: (held: T, moved: boolean) => void;
}

/**
 * Handlers for a thing that is dragged: `drag(() => held)` begins with what is held, or with nothing where it cannot be moved.
 * The pointer is captured, so that a drag goes on outside; a cancelled one ends where it is.
 */
export function useDrag<T>({ move, end }: Drag<T>) {
  const current = useRef<{ held: T; moved: boolean } | null>(null);
  const release = () => {
    const now = current.current;
    current.current = null;
    if (now) end?.(now.held, now.moved);
  };
  return (begin: (event: React.PointerEvent<Element>) => T | null) => ({
    onPointerDown: (event: React.PointerEvent<Element>) => {
      const held = begin(event);
      if (held === null) return;
      event.stopPropagation();
      event.currentTarget.setPointerCapture(event.pointerId);
      current.current = { held, moved: false };
    },
    onPointerMove: (event: React.PointerEvent<Element>) => {
      const now = current.current;
      if (!now) return;
      const held = move(now.held, event);
      if (held !== now.held) current.current = { held, moved: true };
    },
    onPointerUp: release,
    onPointerCancel: release,
  });
}

/** How far a key moves something: sideways, upwards, or to an end; with Shift ten times, with Alt a tenth of the step. */
export interface KeyMove {
  x: number;
  y: number;
  to: "first" | "last" | null;
  remove: boolean;
}

const SIDEWAYS: Record<string, number> = { ArrowLeft: -1, ArrowRight: 1 };
const UPWARDS: Record<string, number> = { ArrowUp: 1, ArrowDown: -1 };

/** What a key does to a thing that can be dragged, in its steps; null where it does nothing. The page does nothing else with it. */
export function keyMove(event: React.KeyboardEvent): KeyMove | null {
  const { key } = event;
  const by = event.shiftKey ? 10 : event.altKey ? 0.1 : 1;
  const to = key === "Home" ? "first" : key === "End" ? "last" : null;
  const remove = key === "Delete" || key === "Backspace";
  const x = SIDEWAYS[key] ?? 0;
  const y = UPWARDS[key] ?? 0;
  if (!x && !y && !to && !remove) return null;
  event.preventDefault();
  return { x: x * by, y: y * by, to, remove };
}
