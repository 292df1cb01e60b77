/**
 * Typed paths in documents, with the rules of the core (`core/paths.py`): "lanes.base_colour.layers[0].paint[1]" are the
 * keys lanes, base_colour, layers, 0, paint, 1.
 */
import { produce } from "immer";

export type Key = string | number;
export type Path = Key[];

const KEY = /(?:^|\.)([^.[\]]+)|\[(\d{1,9})\]/gy;

/** The keys of a path's text, or null where it is none. */
export function parsePath(text: string): Path | null {
  const keys: Path = [];
  KEY.lastIndex = 0;
  let end = 0;
  for (let found = KEY.exec(text); found; found = KEY.exec(text)) {
    keys.push(found[2] === undefined ? found[1]! : Number(found[2]));
    end = KEY.lastIndex;
  }
  return end === text.length ? keys : null;
}

/** The text of a path. */
export function pathText(path: Path): string {
  return path.reduce<string>((text, key) => text + (typeof key === "number" ? `[${key}]` : text ? `.${key}` : key), "");
}

/** The JSON Pointer (RFC 6901) of a path's text. */
export function pointer(text: string): string {
  return (parsePath(text) ?? []).map((key) => `/${String(key).replaceAll("~", "~0").replaceAll("/", "~1")}`).join("");
}

/** What lies at a path of a document; undefined where there is nothing. */
export function at(document: unknown, text: string): unknown {
  return (parsePath(text) ?? []).reduce(inside, document);
}

/** What lies under one key: of lists by a number, of all else by a name. */
function inside(held: unknown, key: Key): unknown {
  if (held === null || typeof held !== "object" || Array.isArray(held) !== (typeof key === "number")) return undefined;
  return Object.hasOwn(held, key) ? (held as Record<Key, unknown>)[key] : undefined;
}

/** The document with something else at a path; what lies beside it is shared. */
export function withAt<T>(document: T, text: string, value: unknown): T {
  const path = parsePath(text) ?? [];
  const last = path.at(-1);
  if (last === undefined) return document;
  return produce(document, (draft) => {
    // oxlint-disable-next-line no-explicit-any
    const holder = path.slice(0, -1).reduce<any>((held, key) => held[key], draft);
    holder[last] = value;
  });
}
