/** The placement of the open step in the view: its shape drawn over the canvas, with handles for centre, turn, size and edges. */
import { Move3d, RotateCw } from "lucide-react";
import * as THREE from "three";
import type { Falloff, Placed, Step, Three } from "../api/client";
import { chainAt, placeOf, withStep } from "../state/edits";
import { isFollowing } from "../state/follow";
import { placementOf } from "../state/results";
import { chosenLook, draftLook, editLook, markerNow, movedMarker, type State, useStore, withMarker, draft, edit } from "../state/store";
import { keyMove, useDrag } from "../widgets/interactive";
import { view } from "./current";
import { useFrames } from "./frames";
import { outline } from "./outlines";
import type { Stage } from "./Stage";

export type PlacedStep = Extract<Step, { step: "falloff" | "picture" }>;

const round = (n: number) => Number(n.toPrecision(5));
const three = (v: THREE.Vector3): Three => [round(v.x), round(v.y), round(v.z)];
const vector = (v: readonly number[]) => new THREE.Vector3(v[0], v[1], v[2]);

interface Open {
  step: PlacedStep;
  chain: string;
  index: number;
  resting: Placed;
}

/** The open step of the chain that is shown, where it has a placement. */
function open(state: State): Open | null {
  const look = chosenLook(state);
  if (state.room !== "colour" || !look || state.step === null) return null;
  const step = chainAt(look, state.chain)?.[state.step];
  const resting = state.results[state.chosen]?.steps[placeOf(state.chain, state.step)]?.placement;
  if (!resting || !step?.enabled || (step.step !== "falloff" && step.step !== "picture")) return null;
  if (step.step === "picture" && step.on === "uv") return null;
  return { step, chain: state.chain, index: state.step, resting };
}

/** From the space that a placement stands in to the scene. */
function spaceOf(resting: Placed, chosen: string): THREE.Matrix4 {
  const matrix = resting.space === "own" ? placementOf(chosen) : undefined;
  return matrix ? new THREE.Matrix4().fromArray(matrix) : new THREE.Matrix4();
}

/** From the placement's own space, in which its size is 1, into the scene. */
export function matrixOf(step: PlacedStep, resting: Placed, space: THREE.Matrix4): THREE.Matrix4 {
  const turn = resting.turn ?? step.turn.map((n) => (typeof n === "number" ? n : 0));
  const euler = new THREE.Euler(...(turn.map((n) => THREE.MathUtils.degToRad(n)) as Three), "ZYX");
  const size = vector([resting.size[0], resting.size[1], resting.size[2] || 1]);
  return space.clone().multiply(new THREE.Matrix4().compose(vector(resting.centre), new THREE.Quaternion().setFromEuler(euler), size));
}

/** A placement after the numbers that a drag changed were put in: what was fitted is typed from then on. */
function typed(step: PlacedStep, resting: Placed, change: Partial<Placed>): PlacedStep {
  const centre = change.centre ?? step.centre ?? (resting.centre.map(round) as Three);
  if (step.step === "falloff") {
    const line = step.shape === "line";
    return {
      ...step, centre, space: resting.space,
      end: line ? (change.end ?? step.end ?? (resting.end.map(round) as Three)) : step.end,
      size: line ? step.size : (change.size ?? step.size ?? (resting.size.map(round) as Three)),
      turn: change.turn ?? step.turn,
    };
  }
  const size = (change.size ?? step.size ?? resting.size).slice(0, 2).map((n) => (typeof n === "number" ? round(n) : n)) as typeof step.size;
  return { ...step, centre, size, space: resting.space, turn: change.turn ?? (step.centre === null && step.size === null ? (resting.turn ?? step.turn) : step.turn) };
}

interface HandleProps {
  label: string;
  at: { x: number; y: number } | null;
  icon?: React.ReactNode;
  /** The step when the pointer is at a place of the canvas. */
  to: (x: number, y: number) => PlacedStep | null;
  /** The step after a key: how far sideways and up. */
  keyed: (x: number, y: number) => PlacedStep | null;
  put: (step: PlacedStep) => void;
  commit: (step: PlacedStep, label: string) => void;
  small?: boolean;
  /** Another handle, which lies above: where both would coincide this one stands beside it, this way. */
  beside?: { at: { x: number; y: number } | null; away: { x: number; y: number } };
}

/** Pixels between handles that would coincide. */
const APART = 24;

/** How far from its true place a handle stands, so that it does not lie on another. */
function shifted(at: { x: number; y: number }, beside: HandleProps["beside"]): { x: number; y: number } {
  if (!beside?.at) return { x: 0, y: 0 };
  const [dx, dy] = [at.x - beside.at.x, at.y - beside.at.y];
  const far = Math.hypot(dx, dy);
  if (far >= APART) return { x: 0, y: 0 };
  const { away } = beside;
  const long = Math.hypot(away.x, away.y) || 1;
  return { x: beside.at.x + (away.x / long) * APART - at.x, y: beside.at.y + (away.y / long) * APART - at.y };
}

function Handle({ label, at: place, icon, to, keyed, put, commit, small, beside }: HandleProps) {
  const shift = place ? shifted(place, beside) : { x: 0, y: 0 };
  const at = place && { x: place.x + shift.x, y: place.y + shift.y };
  const drag = useDrag<{ dx: number; dy: number; now: PlacedStep | null }>({
    move: (held, event) => {
      const box = canvasBox();
      const now = to(event.clientX - box.left + held.dx, event.clientY - box.top + held.dy);
      if (!now) return held;
      put(now);
      return { ...held, now };
    },
    end: ({ now }, moved) => moved && now && commit(now, label),
  });
  if (!at) return null;
  return (
    <button
      type="button"
      aria-label={`${label}. Arrow keys, with Shift ten times as far.`}
      title={label}
      className={`absolute grid -translate-x-1/2 -translate-y-1/2 cursor-grab touch-none place-items-center border border-white bg-[#141414] text-white shadow-md active:cursor-grabbing ${small ? "size-4 rounded-sm" : "size-7 rounded-full"}`}
      style={{ left: at.x, top: at.y }}
      {...drag((event) => {
        const box = canvasBox();
        return { dx: place!.x - (event.clientX - box.left), dy: place!.y - (event.clientY - box.top), now: null };
      })}
      onKeyDown={(event) => {
        const by = keyMove(event);
        const now = by && (by.x || by.y) ? keyed(by.x, by.y) : null;
        if (now) commit(now, label);
      }}
    >
      {icon}
    </button>
  );
}

const canvasBox = () => document.querySelector("canvas")!.getBoundingClientRect();

export function PlaceHandles() {
  const found = useStore((s) => JSON.stringify(open(s)));
  useFrames(found !== "null");
  const stage = view.stage;
  const tool = useStore((s) => s.tool);
  const shown = useStore((s) => s.geometry[s.chosen] !== undefined);
  if (found === "null" || !stage || !shown || (tool && tool.kind !== "line")) return null;
  return <Shape stage={stage} open={JSON.parse(found) as Open} passive={tool !== null} />;
}

function Shape({ stage, open: { step, chain, index, resting }, passive }: { stage: Stage; open: Open; passive: boolean }) {
  const chosen = useStore((s) => s.chosen);
  const space = spaceOf(resting, chosen);
  const back = space.clone().invert();
  const matrix = matrixOf(step, resting, space);
  const centre = vector(resting.centre).applyMatrix4(space);
  const end = vector(resting.end).applyMatrix4(space);
  const lines = outline(step, matrix, centre, end, stage);
  const put = (to: PlacedStep) => draftLook((l) => withStep(l, chain, index, to));
  const commit = (to: PlacedStep, label: string) => editLook(label, (l) => withStep(l, chain, index, to));
  const unit = Math.max(...resting.size) / 20 || 0.05;
  const own = (point: THREE.Vector3) => three(point.clone().applyMatrix4(back));
  const marker = useStore((s) => s.scene?.markers.find((m) => m.name === step.marker));
  /** The step with its centre elsewhere; with a marker, the marker goes there, and the step stays. */
  const moveTo = (point: THREE.Vector3): PlacedStep | null => {
    if (!marker) return typed(step, resting, lineAlong(step, resting, own(point)));
    draft((scene) => withMarker(scene, marker.name, (m) => movedMarker(m, three(point))));
    return step;
  };
  const settle = (to: PlacedStep, label: string) => (marker && to === step ? edit(`Move ${marker.name}`, (scene) => scene) : commit(to, label));
  const axis = (k: number) => new THREE.Vector3().setFromMatrixColumn(matrix, k);
  const at = (point: THREE.Vector3) => stage.placed(point);
  const shared = { put, commit };
  const handles: React.ReactNode[] = [];
  const nudged = (x: number, y: number) => centre.clone().add(new THREE.Vector3(x * unit, 0, y * unit));
  handles.push(
    <Handle key="centre" {...shared} commit={settle} label={step.step === "falloff" && step.shape === "line" ? "Move the beginning" : "Move the centre"} at={at(centre)} icon={<Move3d size={15} />} to={(x, y) => moveTo(stage.beside(x, y, centre))} keyed={(x, y) => moveTo(nudged(x, y))} />,
  );
  if (step.step === "falloff" && step.shape === "line") {
    const endTo = (point: THREE.Vector3) => typed(step, resting, { end: own(point) });
    handles.push(
      <Handle key="end" {...shared} label="Move the end" at={at(end)} icon={<Move3d size={15} />} to={(x, y) => endTo(stage.beside(x, y, end))} keyed={(x, y) => endTo(end.clone().add(new THREE.Vector3(x * unit, 0, y * unit)))} />,
      ...edges(step, (share) => at(end.clone().lerp(centre, share)), (x, y) => stage.along(x, y, end, centre.clone().sub(end)), shared),
    );
  } else {
    const sized = (k: number, factor: number): PlacedStep => {
      const size = resting.size.slice() as Three;
      const alike = (step.step === "falloff" && (step.shape === "ball" || step.shape === "angle")) || step.step === "picture";
      for (let a = 0; a < 3; a++) if (alike || a === k) size[a] = round(Math.min(1e6, Math.max(1e-6, size[a]! * factor)));
      return typed(step, resting, { size });
    };
    const axes = step.step === "picture" ? [0, 1] : step.shape === "box" ? [0, 1, 2] : step.shape === "plane" ? [2] : [0];
    for (const k of axes) {
      const direction = axis(k);
      handles.push(
        <Handle
          key={`size ${k}`}
          {...shared}
          small
          label={axes.length > 1 ? `Size along ${"xyz"[k]}` : "Size"}
          at={at(centre.clone().add(direction))}
          to={(x, y) => sized(k, Math.max(1e-3, stage.along(x, y, centre, direction)))}
          keyed={(x, y) => sized(k, 1 + (x + y) * 0.05)}
        />,
      );
    }
    const turned = (by: number): PlacedStep => {
      const turn = (resting.turn ?? step.turn).map((n) => n) as PlacedStep["turn"];
      const z = turn[2];
      return isFollowing(z) ? step : typed(step, resting, { turn: [turn[0], turn[1], round(z + by)] as Three });
    };
    const corner = centre.clone().addScaledVector(axis(0), 0.72).addScaledVector(axis(1), 0.72);
    const spot = at(corner);
    handles.push(
      <Handle key="turn" {...shared} label="Turn" at={spot} icon={<RotateCw size={14} />} to={(x) => (spot ? turned((x - spot.x) / 2) : null)} keyed={(x, y) => turned((x + y) * 5)} />,
    );
    if (step.step === "falloff") {
      const direction = axis(step.shape === "plane" ? 2 : 0);
      const opposite = step.shape === "angle" ? axis(1) : direction.clone().negate();
      handles.push(...edges(step, (share) => at(centre.clone().addScaledVector(opposite, share)), (x, y) => stage.along(x, y, centre, opposite), shared));
    }
  }
  return (
    <div role="group" aria-label="Placement of the step" className={`pointer-events-none absolute inset-0 ${passive ? "" : "[&>button]:pointer-events-auto"}`}>
      <svg className="absolute inset-0 h-full w-full" aria-hidden>
        {lines.map((line) => (
          <g key={line.points}>
            <polyline points={line.points} fill="none" stroke="#141414" strokeWidth={3.2} strokeOpacity={0.5} />
            <polyline points={line.points} fill="none" stroke="#ffffff" strokeWidth={1.4} strokeDasharray={line.dashed ? "5 4" : undefined} />
          </g>
        ))}
      </svg>
      {/* The first, the centre, lies above the others: it can always be taken. */}
      {!passive && handles.toReversed()}
    </div>
  );
}

/** Moving the beginning of a line takes its end along. */
function lineAlong(step: PlacedStep, resting: Placed, centre: Three): Partial<Placed> {
  if (step.step !== "falloff" || step.shape !== "line" || step.end !== null) return { centre };
  return { centre, end: resting.end.map(round) as Three };
}

/** The way from one place of the canvas to another; sideways where there is none. */
function awayFrom(from: { x: number; y: number } | null, to: { x: number; y: number } | null): { x: number; y: number } {
  return from && to && Math.hypot(to.x - from.x, to.y - from.y) > 1 ? { x: to.x - from.x, y: to.y - from.y } : { x: 1, y: 0 };
}

/** Handles of the inner and outer edge: where a share of the size lies, and the share at a pixel. */
function edges(step: Falloff, spot: (share: number) => { x: number; y: number } | null, share: (x: number, y: number) => number, shared: Pick<HandleProps, "put" | "commit">): React.ReactNode[] {
  return (["inner", "outer"] as const).flatMap((edge) => {
    const value = step[edge];
    if (typeof value !== "number") return [];
    const held = (to: number): PlacedStep => {
      const least = edge === "outer" && typeof step.inner === "number" ? step.inner : 0;
      const most = edge === "inner" && typeof step.outer === "number" ? step.outer : 100;
      return { ...step, [edge]: Math.round(1000 * Math.min(most, Math.max(least, to))) / 1000 };
    };
    const beside = { at: spot(0), away: awayFrom(spot(0), spot(1)) };
    return [<Handle key={edge} {...shared} beside={beside} small label={edge === "inner" ? "Inner edge" : "Outer edge"} at={spot(value)} to={(x, y) => held(share(x, y))} keyed={(x, y) => held(value + (x + y) * 0.02)} />];
  });
}

/** The markers of the scene in the view: named points that can be dragged. */
export function MarkerHandles() {
  const markers = useStore((s) => s.scene?.markers);
  const shown = useStore((s) => (s.scene?.markers.length ?? 0) > 0 && s.room !== "publish" && s.tool?.kind !== "paint");
  useFrames(shown);
  if (!shown || !markers || !view.stage) return null;
  return (
    <div role="group" aria-label="Markers" className="pointer-events-none absolute inset-0 [&>*]:pointer-events-auto">
      {markers.map((m) => (
        <MarkerHandle key={m.name} name={m.name} />
      ))}
    </div>
  );
}

function MarkerHandle({ name }: { name: string }) {
  const marker = useStore((s) => s.scene!.markers.find((m) => m.name === name));
  const now = useStore((s) => (marker ? JSON.stringify(markerNow(s, marker)) : ""));
  const put = (to: Three) => draft((scene) => withMarker(scene, name, (m) => movedMarker(m, to)));
  const drag = useDrag<{ from: THREE.Vector3; dx: number; dy: number }>({
    move: (held, event) => {
      const box = canvasBox();
      const [x, y] = [event.clientX - box.left + held.dx, event.clientY - box.top + held.dy];
      // On the ground at its height; with Alt freely, as far away as it is.
      const to = (event.altKey ? null : view.stage!.onGround(x, y, held.from.z)) ?? view.stage!.beside(x, y, held.from);
      put(three(to));
      return { ...held };
    },
    end: (_, moved) => moved && edit(`Move ${name}`, (scene) => scene),
  });
  if (!marker || !now) return null;
  const point = vector(JSON.parse(now) as Three);
  const at = view.stage?.placed(point);
  if (!at) return null;
  return (
    <button
      type="button"
      aria-label={`Marker ${name}. Drag it on the ground, with Alt freely; arrow keys move it, Page Up and Page Down raise and lower it.`}
      title={name}
      className="absolute flex -translate-x-[9px] -translate-y-1/2 cursor-grab touch-none items-center gap-1 text-[11px] font-medium text-white active:cursor-grabbing"
      style={{ left: at.x, top: at.y }}
      {...drag((event) => {
        const box = canvasBox();
        return { from: point, dx: at.x - (event.clientX - box.left), dy: at.y - (event.clientY - box.top) };
      })}
      onKeyDown={(event) => {
        const by = keyMove(event);
        const up = { PageUp: 1, PageDown: -1 }[event.key] ?? 0;
        if (!up && !(by && (by.x || by.y))) return;
        event.preventDefault();
        const to = point.clone().add(new THREE.Vector3((by?.x ?? 0) * 0.05, (by?.y ?? 0) * 0.05, up * 0.05));
        put(three(to));
        edit(`Move ${name}`, (scene) => scene);
      }}
    >
      <span className="size-[18px] rotate-45 border-2 border-white bg-[#141414] shadow-md" />
      <span className="rounded bg-[#141414]/80 px-1 leading-4">{name}</span>
    </button>
  );
}
