/** The tools of the view: drawing a line, putting markers, and the brush. */
import { X } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import * as THREE from "three";
import type { Brush, Look, Step, Three } from "../api/client";
import { at as lying, type LookInScene, parsePlace, withStep } from "../state/edits";
import { addMarker, chosenLook, chosenPopulation, draftLook, editLook, showPreview, StrokeUnderWay, tell, type State, useStore } from "../state/store";
import { IconButton } from "../widgets/Button";
import { view } from "./current";
import { useFrames } from "./frames";
import { lineOf } from "./outlines";

const round = (n: number) => Math.round(n * 10000) / 10000;
const three = (v: THREE.Vector3): Three => [round(v.x), round(v.y), round(v.z)];

const SAID = {
  line: "Press on the surface where the line begins, drag to where it ends",
  marker: "Click where the marker is to stand; Enter puts it in the middle",
  paint: "Drag to paint; Enter puts one dab in the middle; Escape puts the brush away",
} as const;

/** What the pointer does while a tool is taken; the view does not turn then. */
export function Tools() {
  const tool = useStore((s) => s.tool);
  useEffect(() => {
    if (!tool) return;
    view.stage?.setTurning(false);
    const keys = (event: KeyboardEvent) => event.key === "Escape" && useStore.setState({ tool: null });
    window.addEventListener("keydown", keys);
    return () => {
      view.stage?.setTurning(true);
      window.removeEventListener("keydown", keys);
    };
  }, [tool]);
  if (!tool) return null;
  const part = tool.kind === "paint" ? <Painter column={tool.column} /> : tool.kind === "line" ? <LineTool place={tool.place} /> : <MarkerTool />;
  return (
    <>
      {part}
      <div className="pointer-events-none absolute inset-x-0 top-12 flex justify-center">
        <span className="chip pointer-events-auto border border-ink" role="status">
          {SAID[tool.kind]}
          <IconButton label="Put the tool away" className="-mr-1.5" onClick={() => useStore.setState({ tool: null })}>
            <X size={13} />
          </IconButton>
        </span>
      </div>
    </>
  );
}

interface AreaProps {
  label: string;
  begin: (x: number, y: number) => void;
  move?: (x: number, y: number) => void;
  end?: () => void;
  /** What Enter does in the middle, where it is not a press and a release. */
  enter?: (x: number, y: number) => void;
  /** While nothing is pressed. */
  hover?: (x: number, y: number) => void;
  children?: React.ReactNode;
}

/** The whole view as one area that the pointer works on; Enter works in its middle. */
function Area({ label, begin, move, end, enter, hover, children }: AreaProps) {
  const pressed = useRef(false);
  const place = (event: React.PointerEvent<HTMLElement>): [number, number] => {
    const box = event.currentTarget.getBoundingClientRect();
    return [event.clientX - box.left, event.clientY - box.top];
  };
  const release = () => {
    if (pressed.current) end?.();
    pressed.current = false;
  };
  return (
    <button
      type="button"
      aria-label={label}
      className="absolute inset-0 cursor-crosshair touch-none outline-none focus-visible:shadow-[inset_0_0_0_2px_var(--ink)]"
      onPointerDown={(e) => {
        if (e.button !== 0) return;
        e.currentTarget.setPointerCapture(e.pointerId);
        pressed.current = true;
        begin(...place(e));
      }}
      onPointerMove={(e) => (pressed.current ? move?.(...place(e)) : hover?.(...place(e)))}
      onPointerUp={release}
      onPointerCancel={release}
      onKeyDown={(e) => {
        if (e.key !== "Enter") return;
        e.preventDefault();
        const [x, y] = [e.currentTarget.clientWidth / 2, e.currentTarget.clientHeight / 2];
        if (enter) return enter(x, y);
        begin(x, y);
        end?.();
      }}
    >
      {children}
    </button>
  );
}

function MarkerTool() {
  return (
    <Area
      label="Put a marker"
      begin={(x, y) => {
        const stage = view.stage;
        const found = stage?.surfaceAt(x, y)?.point ?? stage?.onGround(x, y, 0) ?? null;
        if (!found) return tell("There is nothing here to put a marker on. Click on the elements or below the horizon.");
        addMarker(three(found));
        useStore.setState({ tool: null });
      }}
    />
  );
}

/** A falloff between two points of the surface; while it is drawn the elements show its weight in greys. */
function LineTool({ place }: { place: string }) {
  const [ends, setEnds] = useState<[THREE.Vector3, THREE.Vector3] | null>(null);
  const before = useRef<Step | null>(null);
  useFrames();
  useEffect(
    () => () => {
      if (before.current) putLine(place, before.current, draftLook);
      showPreview(null);
    },
    [place],
  );
  const stage = view.stage;
  if (!stage) return null;
  const point = (x: number, y: number) => stage.surfaceAt(x, y)?.point ?? null;
  const lines = ends && ends[0].distanceTo(ends[1]) > 1e-6 ? lineOf(ends[0], ends[1], stage) : [];
  return (
    <Area
      label="Draw a line"
      begin={(x, y) => {
        const found = point(x, y);
        if (!found) return;
        setEnds([found, found]);
        before.current = falloffAt(place);
        showPreview({ of: "step", name: place, scale: useStore.getState().scale });
      }}
      move={(x, y) => {
        if (!ends) return;
        const end = point(x, y) ?? stage.beside(x, y, ends[1]);
        setEnds([ends[0], end]);
        if (before.current && ends[0].distanceTo(end) > 1e-4) putLine(place, lineFrom(before.current, ends[0], end), draftLook);
      }}
      end={() => {
        const drawn = before.current && ends && ends[0].distanceTo(ends[1]) > 1e-4 ? lineFrom(before.current, ends[0], ends[1]) : null;
        if (drawn) putLine(place, drawn, (change) => editLook("Draw a line", change));
        else {
          if (before.current) putLine(place, before.current, draftLook);
          tell("The line has no length. Press, drag to its end, and release there.");
        }
        before.current = null;
        showPreview(null);
        setEnds(null);
        if (drawn) useStore.setState({ tool: null });
      }}
    >
      <svg className="absolute inset-0 h-full w-full" aria-hidden>
        {lines.map(({ points }) => (
          <g key={points}>
            <polyline points={points} fill="none" stroke="#141414" strokeWidth={3.2} strokeOpacity={0.5} />
            <polyline points={points} fill="none" stroke="#ffffff" strokeWidth={1.4} />
          </g>
        ))}
      </svg>
    </Area>
  );
}

/** The falloff at a place; null where there is none any more. */
function falloffAt(place: string): Step | null {
  const step = lying(chosenLook(useStore.getState()), place) as Step | undefined;
  return step?.step === "falloff" ? step : null;
}

/** A falloff as a line between two points of the scene. */
function lineFrom(step: Step, from: THREE.Vector3, to: THREE.Vector3): Step {
  if (step.step !== "falloff") return step;
  const id = useStore.getState().chosen;
  const [a, b] = step.space === "own" ? [view.stage!.own(id, from), view.stage!.own(id, to)] : [from, to];
  return { ...step, shape: "line", marker: null, centre: three(a), end: three(b) };
}

function putLine(place: string, step: Step, change: (to: (look: LookInScene) => Look) => void) {
  const found = parsePlace(place);
  if (found) change((look) => withStep(look, found.chain, found.step, step));
}

// The brush

const spacing = (brush: Brush) => brush.radius / 4;

/** Around the middle, nearest first: a dab by key need not meet the one pixel there. */
const AROUND = [0, 8, 16, 28].flatMap((far) => (far === 0 ? [[0, 0]] : [0, 1, 2, 3, 4, 5, 6, 7].map((k) => [far * Math.cos((k * Math.PI) / 4), far * Math.sin((k * Math.PI) / 4)])));
const NOTHING_MET = "The brush met nothing of this population. Turn the view, or look at it from nearer.";
/** How often, and after how many milliseconds, a dab by key looks again: the view may still be drawing. */
const LOOKS = 15;
const LOOK_AGAIN = 100;

function Painter({ column }: { column: string }) {
  const id = useStore((s) => s.chosen);
  const there = useStore((s: State) => chosenPopulation(s)?.painted.some((p) => p.name === column) ?? false);
  const brush = useStore((s) => s.brush);
  const stroke = useRef<{ under: StrokeUnderWay; last: THREE.Vector3 } | null>(null);
  const [hovered, setHovered] = useState<THREE.Vector3 | null>(null);
  const queued = useRef<[number, number] | null>(null);
  useFrames();
  const stage = view.stage;
  useEffect(() => {
    if (!there) useStore.setState({ tool: null });
  }, [there]);
  // Put away in the middle of a stroke: what was painted stays, and the strokes after it must not wait for its end.
  useEffect(
    () => () => {
      void stroke.current?.under.end();
      stroke.current = null;
    },
    [],
  );
  if (!stage || !there) return null;
  // Through what grows on it: a mane does not hide the crest from the brush.
  const onIt = (x: number, y: number) => stage.surfaceAt(x, y, id)?.point ?? null;
  /** A stroke begins where the brush first meets the population, which may be on the way. */
  const begin = (x: number, y: number) => {
    const point = onIt(x, y);
    if (!point) return;
    const own = stage.own(id, point);
    const under = new StrokeUnderWay(id, column, brush);
    under.add([three(own)]);
    stroke.current = { under, last: own };
  };
  /** Dabs from where the brush was to where it is, spaced evenly. */
  const go = (x: number, y: number) => {
    const now = stroke.current;
    if (!now) return begin(x, y);
    const point = onIt(x, y);
    if (!point) return;
    const [from, to] = [now.last, stage.own(id, point)];
    const count = Math.floor(from.distanceTo(to) / spacing(brush));
    if (count === 0) return;
    const dabs = Array.from({ length: Math.min(count, 400) }, (_, k) => from.clone().lerp(to, (k + 1) / count));
    now.under.add(dabs.map(three));
    now.last = dabs.at(-1)!;
    setHovered(point);
  };
  const end = () => {
    void stroke.current?.under.end();
    stroke.current = null;
  };
  const dab = async (x: number, y: number) => {
    for (let look = 0; look < LOOKS; look++) {
      const met = AROUND.map(([a, b]) => [x + a!, y + b!] as const).find((at) => onIt(...at));
      if (met) {
        begin(...met);
        return end();
      }
      await new Promise((resolve) => setTimeout(resolve, LOOK_AGAIN));
    }
    tell(NOTHING_MET);
  };
  const hover = (x: number, y: number) => {
    const busy = queued.current !== null;
    queued.current = [x, y];
    if (busy) return;
    requestAnimationFrame(() => {
      const at = queued.current;
      queued.current = null;
      if (at) setHovered(onIt(...at));
    });
  };
  const rim = hovered && circleOf(hovered, brush.radius * stage.unitOf(id));
  return (
    <Area
      label="Paint"
      hover={hover}
      begin={begin}
      move={go}
      end={() => {
        if (!stroke.current) tell(NOTHING_MET);
        end();
      }}
      enter={(x, y) => void dab(x, y)}
    >
      {rim && (
        <svg className="absolute inset-0 h-full w-full" aria-hidden>
          <circle cx={rim.x} cy={rim.y} r={rim.radius} fill="none" stroke="#141414" strokeOpacity={0.6} strokeWidth={3} />
          <circle cx={rim.x} cy={rim.y} r={rim.radius} fill="none" stroke="#ffffff" strokeWidth={1.4} />
          {brush.hardness > 0 && <circle cx={rim.x} cy={rim.y} r={rim.radius * brush.hardness} fill="none" stroke="#ffffff" strokeDasharray="3 3" />}
        </svg>
      )}
    </Area>
  );
}

/** The circle that a ball around a point covers on the canvas. */
function circleOf(point: THREE.Vector3, radius: number) {
  const stage = view.stage!;
  const middle = stage.placed(point);
  if (!middle) return null;
  const side = new THREE.Vector3().setFromMatrixColumn(stage.view.camera.matrixWorld, 0);
  const rim = stage.placed(point.clone().addScaledVector(side, radius));
  return rim && { x: middle.x, y: middle.y, radius: Math.max(2, Math.hypot(rim.x - middle.x, rim.y - middle.y)) };
}
