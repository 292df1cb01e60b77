/** The opened curve: what comes in behind it, its points, and their numbers. */
import { Plus, Trash2 } from "lucide-react";
import { useRef, useState } from "react";
import type { Curve, Dial, StepCensus } from "../api/client";
import { drawn, isFollowing } from "../state/follow";
import { NONE, useStore } from "../state/store";
import { IconButton } from "../widgets/Button";
import { Choice } from "../widgets/Choice";
import { keyMove, useDrag } from "../widgets/interactive";
import { FollowNumber } from "./FollowNumber";

/** What any step has that bends values along a drawn curve. */
export type Curved = Pick<Curve, "points" | "interpolation">;
type Point = Curve["points"][number];

interface Props {
  curve: Curved;
  census: StepCensus | undefined;
  onDraft: (curve: Curved) => void;
  onCommit: (curve: Curved, label: string) => void;
}

const WIDTH = 400;
const HEIGHT = 150;
const APART = 0.001;
const MOST = 64;

/** The numbers of a point, in the order of the core's rows: place, height, and the handles to the left and right. */
const NUMBERS = ["x", "y", "left x", "left y", "right x", "right y"] as const;
type Row = Record<(typeof NUMBERS)[number], number>;
type PointNumber = Point["x"];
type Part = "point" | "left" | "right";
const HANDLES = { left: ["left x", "left y"], right: ["right x", "right y"] } as const;

function numbersOf(p: Point): Record<(typeof NUMBERS)[number], PointNumber> {
  return { x: p.x, y: p.y, "left x": p.left[0], "left y": p.left[1], "right x": p.right[0], "right y": p.right[1] };
}

function pointOf(n: Record<(typeof NUMBERS)[number], PointNumber>): Point {
  return { x: n.x, y: n.y, left: [n["left x"], n["left y"]], right: [n["right x"], n["right y"]] };
}

const limit = (v: number, low = 0, high = 1) => Math.min(high, Math.max(low, v));
const rounded = (v: number) => Math.round(v * 1e4) / 1e4;

/** The points with one moved; it stays between its neighbours, and what follows is left to what it follows. */
function moved(points: Point[], rows: Row[], index: number, to: Partial<Row>): Point[] {
  const low = index > 0 ? rows[index - 1]!.x + APART : 0;
  const high = index < points.length - 1 ? rows[index + 1]!.x - APART : 1;
  const numbers = numbersOf(points[index]!);
  for (const name of NUMBERS) {
    const wanted = to[name];
    if (wanted === undefined || isFollowing(numbers[name])) continue;
    numbers[name] = rounded(name === "x" ? limit(wanted, low, high) : name === "y" ? limit(wanted) : limit(wanted, -4, 4));
  }
  return points.with(index, pointOf(numbers));
}

/** The points of a curve as they are drawn, and what is done with them. */
function usePoints({ curve, census, onDraft, onCommit }: Props) {
  const box = useRef<SVGSVGElement>(null);
  const [picked, setPicked] = useState(0);
  const dials = useStore((s) => s.scene?.dials ?? (NONE as Dial[]));
  const drag = useDrag<{ index: number; part: Part; curve: Curved }>({
    move: (held, event) => {
      const at = placeOf(event);
      const base = rows[held.index]!;
      const to: Partial<Row> = held.part === "point" ? at : { [HANDLES[held.part][0]]: at.x - base.x, [HANDLES[held.part][1]]: at.y - base.y };
      const next = { ...held.curve, points: moved(held.curve.points, rows, held.index, to) };
      onDraft(next);
      return { ...held, curve: next };
    },
    end: (held, changed) => changed && onCommit(held.curve, "Move a point"),
  });
  const chosen = Math.min(picked, curve.points.length - 1);
  const rows = curve.points.map((p, k) => {
    const numbers = numbersOf(p);
    return Object.fromEntries(NUMBERS.map((name, c) => [name, drawn(numbers[name], dials, census?.points?.[k]?.[c])])) as Row;
  });
  const point = rows[chosen]!;
  const own = numbersOf(curve.points[chosen]!);
  function placeOf(event: { clientX: number; clientY: number }) {
    const at = box.current!.getBoundingClientRect();
    return { x: limit((event.clientX - at.left) / at.width), y: limit(1 - (event.clientY - at.top) / at.height) };
  }

  function add(x: number, y: number) {
    if (curve.points.length >= MOST || rows.some((p) => Math.abs(p.x - x) < 2 * APART)) return;
    const fresh: Point = { x: rounded(x), y: rounded(y), left: [-0.1, 0], right: [0.1, 0] };
    const before = rows.filter((p) => p.x < x).length;
    const points = curve.points.toSpliced(before, 0, fresh);
    setPicked(before);
    onCommit({ ...curve, points }, "Add a point");
  }

  function addInWidestGap() {
    const edges = [0, ...rows.map((p) => p.x), 1];
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
    const move = keyMove(event);
    if (!move || move.to) return;
    if (move.remove) return remove(index);
    const p = rows[index]!;
    const to: Partial<Row> = move.x ? { x: p.x + 0.01 * move.x } : { y: p.y + 0.01 * move.y };
    onCommit({ ...curve, points: moved(curve.points, rows, index, to) }, "Move a point");
  }

  const grab = (index: number, part: Part) =>
    drag(() => {
      setPicked(index);
      return { index, part, curve };
    });

  return { box, rows, chosen, point, own, setPicked, placeOf, add, addInWidestGap, remove, keys, grab };
}

export function CurveEditor(props: Props) {
  const { curve, onDraft, onCommit } = props;
  const points = usePoints(props);
  const { rows, chosen, point, own, addInWidestGap, remove } = points;
  const bezier = curve.interpolation === "bezier";

  /** One number of the chosen point, typed or following. */
  function field(name: (typeof NUMBERS)[number]) {
    const put = (value: PointNumber): Curved => ({ ...curve, points: curve.points.with(chosen, pointOf({ ...own, [name]: value })) });
    // Moved from where it is drawn, so that a number that followed until now is kept between its neighbours too.
    const typed = (value: number): Curved => ({ ...curve, points: moved(put(point[name]).points, rows, chosen, { [name]: value }) });
    const title = name === "x" ? "from" : name === "y" ? "to" : name;
    const handle = name !== "x" && name !== "y";
    return (
      <FollowNumber
        key={name}
        title={title}
        how="signal"
        value={own[name]}
        shown={point[name]}
        change="Move a point"
        min={handle ? -4 : 0}
        max={handle ? 4 : 1}
        step={0.01}
        digits={4}
        width={handle ? "w-[52px]" : "w-[60px]"}
        onDraft={(v) => onDraft(isFollowing(v) ? put(v) : typed(v as number))}
        onCommit={(v, label) => onCommit(isFollowing(v) ? put(v) : typed(v as number), label)}
      />
    );
  }

  return (
    <div>
      <Plot {...props} points={points} />
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
        {NUMBERS.slice(0, 2).map(field)}
        <span className="ml-auto inline-flex">
          <IconButton label="Add a point in the widest gap" onClick={addInWidestGap}>
            <Plus size={15} />
          </IconButton>
          <IconButton label={`Remove point ${chosen + 1}`} disabled={curve.points.length < 2} onClick={() => remove(chosen)}>
            <Trash2 size={14} />
          </IconButton>
        </span>
      </div>
      {bezier && (
        <div className="aligned mt-2 grid grid-cols-2 items-center gap-x-2 gap-y-2" role="group" aria-label="Handles">
          {NUMBERS.slice(2).map((name) => (
            <span key={name} className={isFollowing(own[name]) ? "col-span-2" : ""}>
              {field(name)}
            </span>
          ))}
        </div>
      )}
    </div>
  );
}

/** The curve over what comes in; a click adds a point. */
function Plot({ curve, census, points }: Props & { points: ReturnType<typeof usePoints> }) {
  const { box, rows, chosen, point, setPicked, placeOf, add, keys, grab } = points;
  const bins = census?.incoming?.bins ?? [];
  const highest = Math.max(1, ...bins);
  const line = census?.curve
    ?.map((y, k) => `${k ? "L" : "M"}${(k / (census.curve!.length - 1)) * WIDTH} ${(1 - y) * HEIGHT}`)
    .join("");
  return (
    // oxlint-disable-next-line jsx-a11y/no-noninteractive-element-interactions -- keys add points at those that are there
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
    >
      <path
        data-ground
        d={bins.map((n, k) => `M${(k / bins.length) * WIDTH} ${HEIGHT}v${(-n / highest) * HEIGHT * 0.9}h${WIDTH / bins.length - 0.6}V${HEIGHT}z`).join("")}
        fill="var(--line)"
      />
      <path d={line} fill="none" stroke="var(--ink)" strokeWidth={2} vectorEffect="non-scaling-stroke" pointerEvents="none" />
      {curve.interpolation === "bezier" &&
        (["left", "right"] as const).map((part) => (
          <g key={part}>
            <path
              d={`M${point.x * WIDTH} ${(1 - point.y) * HEIGHT}L${(point.x + point[HANDLES[part][0]]) * WIDTH} ${(1 - point.y - point[HANDLES[part][1]]) * HEIGHT}`}
              stroke="var(--strong)"
              vectorEffect="non-scaling-stroke"
            />
            <ellipse
              cx={(point.x + point[HANDLES[part][0]]) * WIDTH}
              cy={(1 - point.y - point[HANDLES[part][1]]) * HEIGHT}
              rx={4}
              ry={4}
              fill="var(--panel)"
              stroke="var(--ink)"
              className="cursor-move"
              {...grab(chosen, part)}
            />
          </g>
        ))}
      {rows.map((p, k) => (
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
          {...grab(k, "point")}
        />
      ))}
    </svg>
  );
}
