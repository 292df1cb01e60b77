/** The opened curve: what comes in behind it, its points, and their numbers. */
import { Plus, Trash2 } from "lucide-react";
import { useRef, useState } from "react";
import type { Curve, StepCensus } from "../api/client";
import { IconButton } from "../widgets/Button";
import { Choice } from "../widgets/Choice";
import { NumberField } from "../widgets/NumberField";

type Point = Curve["points"][number];

interface Props {
  curve: Curve;
  census: StepCensus | undefined;
  onDraft: (curve: Curve) => void;
  onCommit: (curve: Curve, label: string) => void;
}

const WIDTH = 400;
const HEIGHT = 150;
const APART = 0.001;
const MOST = 64;

const limit = (v: number, low = 0, high = 1) => Math.min(high, Math.max(low, v));
const rounded = (v: number) => Math.round(v * 1e4) / 1e4;

/** The points with one changed; it stays between its neighbours. */
function changed(points: Point[], index: number, to: Partial<Point>): Point[] {
  const low = index > 0 ? points[index - 1]!.x + APART : 0;
  const high = index < points.length - 1 ? points[index + 1]!.x - APART : 1;
  return points.map((p, k) => {
    if (k !== index) return p;
    const next = { ...p, ...to };
    return { ...next, x: rounded(limit(next.x, low, high)), y: rounded(limit(next.y)) };
  });
}

export function CurveEditor({ curve, census, onDraft, onCommit }: Props) {
  const box = useRef<SVGSVGElement>(null);
  const [picked, setPicked] = useState(0);
  const held = useRef<{ index: number; part: "point" | "left" | "right"; curve: Curve; moved: boolean } | null>(null);
  const chosen = Math.min(picked, curve.points.length - 1);
  const point = curve.points[chosen]!;
  const bezier = curve.interpolation === "bezier";
  const bins = census?.incoming?.bins ?? [];
  const highest = Math.max(1, ...bins);
  const line = census?.curve
    ?.map((y, k) => `${k ? "L" : "M"}${(k / (census.curve!.length - 1)) * WIDTH} ${(1 - y) * HEIGHT}`)
    .join("");

  function placeOf(event: { clientX: number; clientY: number }) {
    const at = box.current!.getBoundingClientRect();
    return { x: limit((event.clientX - at.left) / at.width), y: limit(1 - (event.clientY - at.top) / at.height) };
  }

  function add(x: number, y: number) {
    if (curve.points.length >= MOST || curve.points.some((p) => Math.abs(p.x - x) < 2 * APART)) return;
    const fresh: Point = { x: rounded(x), y: rounded(y), left: [-0.1, 0], right: [0.1, 0] };
    const points = [...curve.points, fresh].toSorted((a, b) => a.x - b.x);
    setPicked(points.indexOf(fresh));
    onCommit({ ...curve, points }, "Add a point");
  }

  function addInWidestGap() {
    const edges = [0, ...curve.points.map((p) => p.x), 1];
    const gaps = edges.slice(1).map((e, k) => [e - edges[k]!, (e + edges[k]!) / 2] as const);
    const x = gaps.toSorted((a, b) => b[0] - a[0])[0]![1];
    const heights = census?.curve;
    add(x, heights ? heights[Math.round(x * (heights.length - 1))]! : 0.5);
  }

  function remove(index: number) {
    if (curve.points.length < 2) return;
    setPicked(Math.max(0, index - 1));
    onCommit({ ...curve, points: curve.points.filter((_, k) => k !== index) }, "Remove a point");
  }

  function keys(event: React.KeyboardEvent, index: number) {
    const by = event.shiftKey ? 0.1 : 0.01;
    const p = curve.points[index]!;
    const to: Partial<Point> | undefined = {
      ArrowLeft: { x: p.x - by },
      ArrowRight: { x: p.x + by },
      ArrowUp: { y: p.y + by },
      ArrowDown: { y: p.y - by },
    }[event.key];
    if (to) {
      event.preventDefault();
      onCommit({ ...curve, points: changed(curve.points, index, to) }, "Move a point");
    } else if (event.key === "Delete" || event.key === "Backspace") {
      event.preventDefault();
      remove(index);
    }
  }

  function drag(event: React.PointerEvent) {
    const now = held.current;
    if (!now) return;
    const at = placeOf(event);
    const base = now.curve.points[now.index]!;
    const to: Partial<Point> =
      now.part === "point" ? at : { [now.part]: [rounded(at.x - base.x), rounded(at.y - base.y)] as [number, number] };
    now.curve = { ...now.curve, points: changed(now.curve.points, now.index, to) };
    now.moved = true;
    onDraft(now.curve);
  }

  const grab = (index: number, part: "point" | "left" | "right") => (event: React.PointerEvent) => {
    event.stopPropagation();
    event.currentTarget.setPointerCapture(event.pointerId);
    setPicked(index);
    held.current = { index, part, curve, moved: false };
  };
  const drop = () => {
    const now = held.current;
    held.current = null;
    if (now?.moved) onCommit(now.curve, "Move a point");
  };

  return (
    <div>
      <svg
        ref={box}
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        preserveAspectRatio="none"
        className="block h-[150px] w-full cursor-copy touch-none overflow-visible rounded bg-well"
        role="group"
        aria-label="Curve"
        onClick={(e) => {
          if (e.target !== e.currentTarget && !(e.target as Element).hasAttribute("data-ground")) return;
          const { x, y } = placeOf(e);
          add(x, y);
        }}
        onPointerMove={drag}
      >
        <path
          data-ground
          d={bins.map((n, k) => `M${(k / bins.length) * WIDTH} ${HEIGHT}v${(-n / highest) * HEIGHT * 0.9}h${WIDTH / bins.length - 0.6}V${HEIGHT}z`).join("")}
          fill="var(--line)"
        />
        <path d={line} fill="none" stroke="var(--ink)" strokeWidth={2} vectorEffect="non-scaling-stroke" pointerEvents="none" />
        {bezier &&
          (["left", "right"] as const).map((part) => (
            <g key={part}>
              <path
                d={`M${point.x * WIDTH} ${(1 - point.y) * HEIGHT}L${(point.x + point[part][0]) * WIDTH} ${(1 - point.y - point[part][1]) * HEIGHT}`}
                stroke="var(--strong)"
                vectorEffect="non-scaling-stroke"
              />
              <ellipse
                cx={(point.x + point[part][0]) * WIDTH}
                cy={(1 - point.y - point[part][1]) * HEIGHT}
                rx={4}
                ry={4}
                fill="var(--panel)"
                stroke="var(--ink)"
                className="cursor-move"
                onPointerDown={grab(chosen, part)}
                onPointerUp={drop}
              />
            </g>
          ))}
        {curve.points.map((p, k) => (
          <ellipse
            key={k}
            role="slider"
            tabIndex={0}
            aria-label={`Point ${k + 1}`}
            aria-valuenow={p.y}
            aria-valuemin={0}
            aria-valuemax={1}
            aria-valuetext={`${p.x} to ${p.y}`}
            cx={p.x * WIDTH}
            cy={(1 - p.y) * HEIGHT}
            rx={5.5}
            ry={5.5}
            fill={k === chosen ? "var(--ink)" : "var(--panel)"}
            stroke="var(--ink)"
            strokeWidth={1.6}
            className="cursor-move"
            onFocus={() => setPicked(k)}
            onKeyDown={(e) => keys(e, k)}
            onPointerDown={grab(k, "point")}
            onPointerUp={drop}
          />
        ))}
      </svg>
      <div className="mt-2 flex flex-wrap items-center gap-x-2.5 gap-y-2">
        <Choice
          label="Between points"
          plain
          value={curve.interpolation}
          options={[
            { value: "straight", label: "Straight" },
            { value: "monotone", label: "Monotone" },
            { value: "bezier", label: "Bezier" },
          ]}
          onChange={(interpolation) => onCommit({ ...curve, interpolation }, "Change what lies between points")}
        />
        {(["x", "y"] as const).map((axis) => (
          <NumberField
            key={axis}
            label={axis === "x" ? "from" : "to"}
            value={point[axis]}
            min={0}
            max={1}
            step={0.01}
            digits={4}
            width="w-[60px]"
            onDraft={(v) => onDraft({ ...curve, points: changed(curve.points, chosen, { [axis]: v }) })}
            onCommit={(v) => onCommit({ ...curve, points: changed(curve.points, chosen, { [axis]: v }) }, "Move a point")}
          />
        ))}
        <span className="ml-auto inline-flex">
          <IconButton label="Add a point in the widest gap" onClick={addInWidestGap}>
            <Plus size={15} />
          </IconButton>
          <IconButton label={`Remove point ${chosen + 1}`} disabled={curve.points.length < 2} onClick={() => remove(chosen)}>
            <Trash2 size={14} />
          </IconButton>
        </span>
      </div>
    </div>
  );
}
