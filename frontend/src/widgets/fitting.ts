/** What fits on one line, by the width of its words. */
import { type RefObject, useLayoutEffect, useState } from "react";

/** The width of an element, kept as it changes. */
export function useWidth(of: RefObject<HTMLElement | null>): number {
  const [width, setWidth] = useState(0);
  useLayoutEffect(() => {
    const element = of.current;
    if (!element) return;
    setWidth(element.clientWidth);
    const watch = new ResizeObserver(() => setWidth(element.clientWidth));
    watch.observe(element);
    return () => watch.disconnect();
  }, [of]);
  return width;
}

let context: CanvasRenderingContext2D | null = null;

/** How wide a text is in the interface's small type. */
function wide(text: string, strong: boolean): number {
  context ??= document.createElement("canvas").getContext("2d");
  if (!context) return 7 * text.length;
  context.font = `${strong ? 600 : 400} 12px "Inter Variable", sans-serif`;
  return context.measureText(text).width;
}

/** The keys of those that fit into so many pixels, in order, each with `around` beside its words; those kept go first. */
export function fitting(items: { key: string; text: string; strong: boolean; kept: boolean }[], width: number, around: number, gap: number): Set<string> {
  let room = width;
  const found = new Set<string>();
  const ordered = [...items.filter(({ kept }) => kept), ...items.filter(({ kept }) => !kept)];
  for (const { key, text, strong, kept } of ordered) {
    const needs = wide(text, strong) + around + gap;
    if (needs > room && !kept) break;
    room -= needs;
    found.add(key);
  }
  return found;
}
