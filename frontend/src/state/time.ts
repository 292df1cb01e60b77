/** Time: going to frames, playing, and keys of markers and dials. */
import type { Dial, Marker, Scene, Three } from "../api/client";
import { type State, useStore } from "./base";

const { setState: set, getState: get } = useStore;

/** Go to a frame of the timeline, held within it. */
export function goTo(frame: number) {
  const timeline = get().scene?.timeline;
  if (timeline) set({ frame: Math.round(Math.min(timeline.last, Math.max(timeline.first, frame))) });
}

/** All frames that have a key, in order. */
export function keyFrames(scene: Scene | null): number[] {
  const keys = [...(scene?.markers ?? []), ...(scene?.dials ?? [])].flatMap((of) => of.keys.map((key) => key.frame));
  return [...new Set(keys)].toSorted((a, b) => a - b);
}

/** Go to the next key, or the one before. */
export function toKey(by: 1 | -1) {
  const { scene, frame } = get();
  const frames = keyFrames(scene);
  const next = by > 0 ? frames.find((f) => f > frame) : frames.findLast((f) => f < frame);
  if (next !== undefined) goTo(next);
}

/** Whether something in the scene moves along its timeline. */
export function reachesTime(state: State): boolean {
  return keyFrames(state.scene).length > 0 || Object.values(state.results).some((result) => result.timed);
}

let began = { at: 0, frame: 0 };

/** Play from the present frame on: each frame is asked for once the one before is shown; those that the machine cannot make in time are left out. */
export function play(on: boolean) {
  const { scene, frame } = get();
  if (!scene || on === get().playing) return;
  const { first, last } = scene.timeline;
  if (on && frame >= last) goTo(first);
  began = { at: performance.now(), frame: get().frame };
  set({ playing: on });
  if (on) next();
}

function next() {
  const { playing, scene, frame, shownFrame, looping, results } = get();
  if (!playing || !scene) return;
  const { first, last, rate } = scene.timeline;
  const wanted = began.frame + Math.floor(((performance.now() - began.at) / 1000) * rate);
  const waits = Object.values(results).some((result) => result.timed) && shownFrame !== frame;
  if (!waits && wanted > frame) {
    if (wanted <= last) set({ frame: wanted });
    else if (looping && last > first) {
      const over = first + ((wanted - first) % (last - first + 1));
      began = { at: performance.now(), frame: over };
      set({ frame: over });
    } else return set({ frame: last, playing: false });
  }
  requestAnimationFrame(next);
}

type Keyed = { keys: { frame: number; to_next: "hold" | "straight" | "ease"; value: unknown }[] };

/** With a key of that value at a frame, in place of one that is there. */
export function withKey<T extends Keyed>(of: T, frame: number, value: T["keys"][number]["value"]): T {
  const old = of.keys.find((key) => key.frame === frame);
  const keys = [...of.keys.filter((key) => key.frame !== frame), { to_next: "ease" as const, ...old, frame, value }];
  return { ...of, keys: keys.toSorted((a, b) => a.frame - b.frame) };
}

/** Where a marker is now: at its key of this frame, else as the core worked it out for the frame that is shown. */
export function markerNow(state: State, marker: Marker): Three {
  const key = marker.keys.find((k) => k.frame === state.frame);
  const told = marker.keys.length > 0 ? state.moment.markers[marker.name] : undefined;
  return (key?.value ?? told ?? marker.position) as Three;
}

/** What a dial is now, in the same way. */
export function dialNow(state: State, dial: Dial): Dial["value"] {
  const key = dial.keys.find((k) => k.frame === state.frame);
  return key?.value ?? (dial.keys.length > 0 ? state.moment.dials[dial.name] : undefined) ?? dial.value;
}
