/** The opened drift: an interval for each component, over its axis in colours, or one for numbers; then its other controls. */
import { useRef } from "react";
import type { Drift, DriftAxis, Follow, Step, StepCensus } from "../api/client";
import { isFollowing } from "../state/follow";
import { Bar } from "../widgets/Distribution";
import { keyMove, useDrag } from "../widgets/interactive";
import { FollowNumber } from "./FollowNumber";
import { Parameters, type Property } from "./Parameters";

type Component = "hue" | "saturation" | "lightness" | "gamma" | "value";
type Ends = Drift[Component];
const OF_COLOURS: Component[] = ["hue", "saturation", "lightness", "gamma"];
const OF_NUMBERS: Component[] = ["value"];
const END_WORDS = ["from", "to"] as const;

interface Props {
  drift: Drift;
  census: StepCensus | undefined;
  schema: Record<string, unknown>;
  onDraft: (step: Step) => void;
  onCommit: (step: Step, label: string) => void;
}

export function DriftEditor({ drift, census, schema, onDraft, onCommit }: Props) {
  const properties = (schema.properties ?? {}) as Record<string, Property>;
  const numbers = census?.kind === "number";
  return (
    <div className="flex flex-col gap-2">
      {(numbers ? OF_NUMBERS : OF_COLOURS).map((name) => (
        <Interval
          key={name}
          of={properties[name]}
          ends={drift[name]}
          axis={census?.drift?.[name]}
          onDraft={(ends) => onDraft({ ...drift, [name]: ends })}
          onCommit={(ends, label) => onCommit({ ...drift, [name]: ends }, label)}
        />
      ))}
      <Parameters
        values={drift as unknown as Record<string, unknown>}
        schema={schema}
        skip={[...OF_COLOURS, ...OF_NUMBERS, ...(numbers ? ["space"] : [])]}
        onDraft={(v) => onDraft(v as unknown as Step)}
        onCommit={(v, label) => onCommit(v as unknown as Step, label)}
      />
    </div>
  );
}

interface IntervalProps {
  of: Property | undefined;
  ends: Ends;
  axis: DriftAxis | undefined;
  onDraft: (ends: Ends) => void;
  onCommit: (ends: Ends, label: string) => void;
}

/** Two ends that are typed, follow, or are dragged over the axis; between them the whole interval is dragged. */
function Interval({ of, ends, axis, onDraft, onCommit }: IntervalProps) {
  const track = useRef<HTMLDivElement>(null);
  const title = of?.title ?? "";
  const least = of?.minimum ?? -1;
  const most = of?.maximum ?? 1;
  const degrees = of?.unit === "°";
  const round = (v: number) => Number((degrees ? Math.round(v) : Math.round(v * 100) / 100).toFixed(2));
  const limited = (v: number) => Math.min(most, Math.max(least, v));
  const drawn = ends.map((end, k) => (isFollowing(end) ? (axis?.ends[k] ?? 0) : end)) as [number, number];
  const part = (v: number) => (v - least) / (most - least);
  const change = `Change the ${title.toLowerCase()} of drift`;
  const withEnd = (from: Ends, k: 0 | 1, to: number | Follow): Ends => (k === 0 ? [to, from[1]] : [from[0], to]);

  const drag = useDrag<{ end: 0 | 1 | null; x: number; from: Ends; now: Ends }>({
    move: (held, event) => {
      const by = ((event.clientX - held.x) / track.current!.clientWidth) * (most - least);
      const [low, high] = held.from as [number, number];
      const shift = round(Math.min(most - Math.max(low, high), Math.max(least - Math.min(low, high), by)));
      const now: Ends =
        held.end === null
          ? [round(low + shift), round(high + shift)]
          : withEnd(held.from, held.end, limited(round((held.end === 0 ? low : high) + by)));
      onDraft(now);
      return { ...held, now };
    },
    end: (held, moved) => moved && onCommit(held.now, change),
  });
  const grab = (end: 0 | 1 | null) =>
    drag((event) => {
      if (end === null ? ends.some(isFollowing) : isFollowing(ends[end])) return null;
      event.preventDefault();
      (event.currentTarget as HTMLElement).focus();
      return { end, x: event.clientX, from: ends, now: ends };
    });

  function keys(event: React.KeyboardEvent, k: 0 | 1) {
    const end = ends[k];
    if (isFollowing(end)) return;
    const move = keyMove(event);
    if (!move || move.remove) return;
    const to = move.to === "first" ? least : move.to === "last" ? most : end + (degrees ? 1 : 0.01) * (move.x || move.y);
    onCommit(withEnd(ends, k, limited(Number(to.toFixed(4)))), change);
  }

  const [left, right] = drawn[0] <= drawn[1] ? drawn : [drawn[1], drawn[0]];
  // The handles stand outside the interval, so that they never cover each other.
  const leftmost = drawn[0] <= drawn[1] ? 0 : 1;
  const field = (k: 0 | 1) => (
    <>
      {isFollowing(ends[k]) && <Gap />}
      <div className={isFollowing(ends[k]) ? "order-last w-full" : "contents"}>
        <FollowNumber<number | Follow>
          title={`${title} ${END_WORDS[k]}`}
          how="signal"
          hideLabel={!isFollowing(ends[k])}
          value={ends[k]}
          shown={drawn[k]}
          change={change}
          min={least}
          max={most}
          step={degrees ? 1 : 0.01}
          unit={degrees ? "°" : undefined}
          width="w-[54px]"
          onDraft={(to) => onDraft(withEnd(ends, k, to))}
          onCommit={(to, label) => onCommit(withEnd(ends, k, to), label)}
        />
      </div>
    </>
  );
  return (
    <div role="group" aria-label={`${title} interval`} className="flex flex-wrap items-center gap-x-1.5 gap-y-1">
      <span className="w-[66px] flex-none text-soft">{title}</span>
      {field(0)}
      <div ref={track} className="relative mx-3.5 h-[26px] min-w-[120px] grow">
        <div className="absolute inset-x-0 top-2 h-2.5 overflow-hidden rounded-full border border-line">{axis?.bar && <Bar bar={axis.bar} height={10} />}</div>
        <span aria-hidden className="absolute top-1 h-[18px] w-px bg-strong" style={{ left: `${part(0) * 100}%` }} />
        <span
          aria-hidden
          title="Drag to move both ends"
          className="absolute top-[5px] h-4 cursor-grab touch-none border-y-2 border-ink"
          style={{ left: `${part(left) * 100}%`, width: `${(part(right) - part(left)) * 100}%` }}
          {...grab(null)}
        />
        {([0, 1] as const).map((k) => (
          <span
            key={k}
            role="slider"
            tabIndex={0}
            aria-label={`${title} ${END_WORDS[k]}, ${axis?.colours[k] ?? "no colour"}`}
            aria-valuemin={least}
            aria-valuemax={most}
            aria-valuenow={drawn[k]}
            aria-valuetext={`${drawn[k]}${degrees ? " degrees" : ""}`}
            className={`absolute top-0 h-[26px] w-[13px] touch-none rounded-[4px] border-2 border-ink outline-offset-1 ${isFollowing(ends[k]) ? "cursor-default border-dashed" : "cursor-ew-resize"}`}
            style={{ left: `${part(drawn[k]) * 100}%`, marginLeft: leftmost === k ? -13 : 0, background: axis?.colours[k] ?? "var(--panel)" }}
            onKeyDown={(e) => keys(e, k)}
            {...grab(k)}
          />
        ))}
      </div>
      {field(1)}
    </div>
  );
}

/** As wide as a field with its link: an end that follows has a line of its own below, and the axes stay aligned. */
const Gap = () => <span aria-hidden className="w-[76px] flex-none" />;
