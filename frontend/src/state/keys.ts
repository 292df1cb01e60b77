/** Lasting keys for rows of a document's lists, which have no ids of their own. */
import { useRef } from "react";

interface Keyed<T> {
  items: readonly T[];
  keys: number[];
  next: number;
}

/** The keys of a list after a change: an item that is the same object keeps its key, and so does one that was edited in place. */
export function carried<T>(before: Keyed<T>, items: readonly T[]): Keyed<T> {
  if (before.items === items) return before;
  const old = new Map(before.items.map((item, k) => [item, before.keys[k]!]));
  const used = new Set<number>();
  const keys: (number | undefined)[] = items.map((item) => {
    const key = old.get(item);
    // The same object twice in a list is two rows.
    if (key === undefined || used.has(key)) return undefined;
    used.add(key);
    return key;
  });
  const free = before.keys.filter((key) => !used.has(key));
  // What is another object at the same place, among as many, was edited: it goes on under the key that is left.
  const edited = before.items.length === items.length;
  let { next } = before;
  const found = keys.map((key) => key ?? (edited ? free.shift() : undefined) ?? next++);
  // The same keys are the same array, so that rows that did not change are not drawn anew.
  const still = found.length === before.keys.length && found.every((key, k) => key === before.keys[k]);
  return { items, keys: still ? before.keys : found, next };
}

/** A key for each item that stays with it when others come, go and move. `list` says which list it is. */
export function useKeys<T>(items: readonly T[], list = ""): number[] {
  const held = useRef<Keyed<T> & { list: string }>({ items: [], keys: [], next: 0, list });
  if (held.current.list !== list) held.current = { items: [], keys: [], next: held.current.next, list };
  held.current = { ...carried(held.current, items), list };
  return held.current.keys;
}
