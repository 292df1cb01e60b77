/** What keeps components that are costly to draw from being drawn anew when nothing that they show has changed. */
import { useCallback, useLayoutEffect, useRef } from "react";

/** A function that is always the same and calls the newest one it was given. */
export function useSteady<A extends unknown[], R>(newest: (...given: A) => R): (...given: A) => R {
  const latest = useRef(newest);
  useLayoutEffect(() => {
    latest.current = newest;
  });
  return useCallback((...given: A) => latest.current(...given), []);
}

/** Whether two lists of plain objects show the same: functions do not count. */
function alike(one: unknown, other: unknown): boolean {
  if (one === other || (typeof one === "function" && typeof other === "function")) return true;
  if (Array.isArray(one) && Array.isArray(other)) return one.length === other.length && one.every((item, k) => alike(item, other[k]));
  if (one?.constructor !== Object || other?.constructor !== Object) return false;
  const [a, b] = [one as Record<string, unknown>, other as Record<string, unknown>];
  return Object.keys({ ...a, ...b }).every((key) => alike(a[key], b[key]));
}

/** For `memo`: whether two sets of properties show the same. */
export const sameShown = (before: object, after: object) => alike({ ...before }, { ...after });
