/** The opened ramp: what comes in above it, its stops, its shares below. */
import { Lock } from "lucide-react";
import { useRef } from "react";
import { type Dial, json, type PaletteAnswer, type Ramp, type RampCensus, type Stop, type TraceStep } from "../api/client";
import { orderedStops } from "../state/edits";
import { drawn, isFollowing, UNKNOWN } from "../state/follow";
import { chooseStep, isolate, NONE, useStore } from "../state/store";
import { bytesOf, hexFromBytes } from "../widgets/bytes";
import { Bar, Bars } from "../widgets/Distribution";
import { keyMove, useDrag } from "../widgets/interactive";
import { percent } from "../widgets/shares";
import { newStop } from "./newStop";
import { RampActions } from "./RampActions";
import { someSeed } from "./seeds";
import { StopFields } from "./StopFields";

interface Props {
  ramp: Ramp;
  place: string;
  index: number;
  census: RampCensus | undefined;
  trace: TraceStep | undefined;
  onDraft: (ramp: Ramp) => void;
  onCommit: (ramp: Ramp, label: string) => void;
}

const MOST_STOPS = 256;

/** A stop and the one place where it is drawn. */
interface Placed {
  at: number;
  stop: Stop;
}

function placed(ramp: Ramp, dials: Dial[], census: RampCensus | undefined): Placed[] {
  return ramp.stops.map((stop, k) => ({ at: drawn(stop.at, dials, census?.places[k]), stop }));
}

/** Stops in order; places that follow go on following. */
function written(stops: Placed[]): Stop[] {
  return stops.map(({ at, stop }) => (isFollowing(stop.at) ? stop : { ...stop, at }));
}

/** The stops of a ramp as they are drawn, and what is done with them. */
function useStops({ ramp, index, census, onDraft, onCommit }: Props) {
  const track = useRef<HTMLDivElement>(null);
  const dials = useStore((s) => s.scene?.dials ?? (NONE as Dial[]));
  const chosen = Math.min(useStore((s) => s.stop), ramp.stops.length - 1);
  const total = census?.counts.reduce((a, b) => a + b, 0) ?? 0;
  const choose = (k: number) => chooseStep(index, k);
  const drag = useDrag<{ index: number; ramp: Ramp }>({
    move: (held, event) => {
      const to = Math.round(placeAt(event.clientX) * 1000) / 1000;
      if (to === held.ramp.stops[held.index]!.at) return held;
      const next = changed(held.ramp, held.index, { at: to });
      onDraft(next.ramp);
      choose(next.index);
      return next;
    },
    end: (held, moved) => moved && onCommit(held.ramp, "Move a stop"),
  });
  const stops = placed(ramp, dials, census);
  const colourOf = (k: number): string => {
    const own = ramp.stops[k]!.colour;
    return census?.colours[k] && (isFollowing(own) || ramp.stops[k]!.intensity !== 1) ? census.colours[k]! : isFollowing(own) ? UNKNOWN : own;
  };

  /** The ramp with stop k changed, put in order; the stop stays chosen wherever it goes. */
  function changed(base: Ramp, k: number, to: Partial<Stop>): { ramp: Ramp; index: number } {
    const all = base.stops.map((s, i) => (i === k ? { ...s, ...to } : s));
    if (!("at" in to)) return { ramp: { ...base, stops: all }, index: k };
    // The dials of now: one may have been made for this very change.
    const found = orderedStops(placed({ ...base, stops: all }, useStore.getState().scene?.dials ?? NONE, census), k);
    return { ramp: { ...base, stops: written(found.stops) }, index: found.index };
  }

  function set(k: number, to: Partial<Stop>, label: string) {
    const next = changed(ramp, k, to);
    onCommit(next.ramp, label);
    choose(next.index);
  }

  function placeAt(clientX: number): number {
    const box = track.current!.getBoundingClientRect();
    return Math.min(1, Math.max(0, (clientX - box.left) / box.width));
  }

  function insert(stop: Stop, at: number, label: string) {
    if (ramp.stops.length >= MOST_STOPS) return;
    const found = orderedStops([...stops, { at, stop: { ...stop, at } }], stops.length);
    onCommit({ ...ramp, stops: written(found.stops) }, label);
    choose(found.index);
  }

  /** A new band's colour is one that keeps apart from the others: the core draws it. */
  async function addBand(at: number) {
    const others = ramp.stops.map((_, k) => ({ colour: colourOf(k), weight: 1, locked: true }));
    const body = { swatches: [...others, { ...others[chosen]!, locked: false }], columns: 8, least: 0.12, seed: someSeed() };
    const { swatches } = await json<PaletteAnswer>("POST", "/palettes/reroll", body);
    insert(newStop(at, swatches.at(-1)!.colour as string), at, "Add a stop");
  }

  function add(at: number) {
    if (ramp.interpolation === "steps") return void addBand(at).catch(() => insert(newStop(at, colourOf(chosen)), at, "Add a stop"));
    const rgb = census ? bytesOf(census.bar) : null;
    const cell = Math.min(255, Math.floor(at * 256));
    const colour = rgb ? hexFromBytes(rgb.subarray(3 * cell)) : colourOf(chosen);
    insert(newStop(at, colour), at, "Add a stop");
  }

  /** The middle of the widest gap, for adding by keyboard. */
  function widest(): number {
    const places = [...stops.map((s) => s.at), 1];
    const gaps = places.slice(1).map((e, k) => [e - places[k]!, (e + places[k]!) / 2] as const);
    return gaps.toSorted((a, b) => b[0] - a[0])[0]?.[1] ?? 0.5;
  }

  function remove(k: number) {
    if (ramp.stops.length < 2) return;
    onCommit({ ...ramp, stops: ramp.stops.filter((_, i) => i !== k) }, "Remove a stop");
    choose(Math.max(0, k - 1));
  }

  /** A copy half-way to the next stop. */
  function duplicate(k: number) {
    const next = stops[k + 1]?.at ?? 1;
    insert(ramp.stops[k]!, (stops[k]!.at + next) / 2, "Duplicate a stop");
  }

  function keys(event: React.KeyboardEvent, k: number) {
    const move = keyMove(event);
    if (!move || move.y) return;
    if (move.remove) return remove(k);
    const to = move.to === "first" ? 0 : move.to === "last" ? 1 : stops[k]!.at + 0.01 * move.x;
    // A place that follows is moved by what it follows.
    if (!isFollowing(ramp.stops[k]!.at)) set(k, { at: Math.min(1, Math.max(0, to)) }, "Move a stop");
  }

  const drawn: Drawn = { ramp, stops, chosen, census, total, colourOf, edges: [0, ...stops.slice(1).map((s) => s.at), 1] };
  const grab = (k: number) =>
    drag((e) => {
      e.preventDefault();
      (e.currentTarget as HTMLElement).focus();
      choose(k);
      return isFollowing(ramp.stops[k]!.at) ? null : { index: k, ramp };
    });
  return { track, drawn, choose, changed, set, placeAt, add, widest, remove, duplicate, keys, grab };
}

export function RampEditor(props: Props) {
  const { ramp, place, census, trace, onDraft, onCommit } = props;
  const { track, drawn, choose, changed, set, placeAt, add, widest, remove, duplicate, keys, grab } = useStops(props);
  const { chosen } = drawn;
  return (
    <div>
      {census && <Bars of={census.incoming} height={30} label="Values that reach the ramp" mark={trace?.at} />}
      <Track {...drawn} track={track} traced={trace?.at} onAdd={(x) => add(placeAt(x))} />
      <Handles {...drawn} onFocus={choose} onKeys={keys} grab={grab} />
      <Shares {...drawn} />
      <div onPointerEnter={() => isolate(null)}>
        <StopFields
          key={`${place} ${chosen}`}
          ramp={ramp}
          place={place}
          chosen={chosen}
          at={drawn.stops[chosen]!.at}
          census={census}
          total={drawn.total}
          onDraft={(to) => onDraft(changed(ramp, chosen, to).ramp)}
          onCommit={(to, label) => set(chosen, to, label)}
          onAdd={() => add(widest())}
          onDuplicate={() => duplicate(chosen)}
          onRemove={() => remove(chosen)}
        />
      </div>
      <RampActions ramp={ramp} place={place} onDraft={onDraft} onCommit={onCommit} />
    </div>
  );
}

/** The ramp as its parts see it. */
interface Drawn {
  ramp: Ramp;
  stops: Placed[];
  chosen: number;
  census: RampCensus | undefined;
  total: number;
  colourOf: (k: number) => string;
  /** Where each band begins and ends, between steps. */
  edges: number[];
}

interface TrackProps extends Drawn {
  track: React.RefObject<HTMLDivElement | null>;
  /** Where the traced element lies. */
  traced: number | undefined;
  onAdd: (x: number) => void;
}

/** The ramp's colours over 0 to 1; a click adds a stop. */
function Track({ ramp, census, colourOf, edges, track, traced, onAdd }: TrackProps) {
  return (
    <div
      ref={track}
      className="relative mt-0.5 h-8 cursor-copy overflow-hidden rounded-[4px]"
      role="presentation"
      title="Click to add a stop"
      onClick={(e) => onAdd(e.clientX)}
    >
      {ramp.interpolation === "steps" ? (
        ramp.stops.map((_, k) => (
          <span
            key={k}
            className="absolute inset-y-0"
            style={{ left: `${edges[k]! * 100}%`, right: `${(1 - edges[k + 1]!) * 100}%`, background: colourOf(k) }}
          />
        ))
      ) : census ? (
        <Bar bar={census.bar} height={32} />
      ) : null}
      {traced !== undefined && (
        <span
          aria-hidden
          className="absolute inset-y-0 w-0 border-l-2 border-dotted border-white mix-blend-difference"
          style={{ left: `${Math.min(1, Math.max(0, traced)) * 100}%` }}
        />
      )}
    </div>
  );
}

interface HandlesProps extends Drawn {
  onFocus: (k: number) => void;
  onKeys: (event: React.KeyboardEvent, k: number) => void;
  /** The handlers that drag a stop. */
  grab: (k: number) => React.DOMAttributes<Element>;
}

/** The stops, to be dragged or moved by keys. */
function Handles({ ramp, stops, chosen, colourOf, onFocus, onKeys, grab }: HandlesProps) {
  const stepped = ramp.interpolation === "steps";
  return (
    <div className="relative h-5" role="group" aria-label="Stops">
      {stops.map(({ at }, k) => (
        <span
          key={k}
          role="slider"
          tabIndex={0}
          aria-label={`Stop ${k + 1}, ${colourOf(k)}`}
          aria-valuemin={0}
          aria-valuemax={1}
          aria-valuenow={at}
          className={`absolute top-0 -ml-[7px] h-[19px] w-[14px] touch-none ${isFollowing(ramp.stops[k]!.at) ? "cursor-pointer" : "cursor-ew-resize"}`}
          style={{ left: `${at * 100}%`, zIndex: k === chosen ? 2 : 1 }}
          onFocus={() => onFocus(k)}
          onKeyDown={(e) => onKeys(e, k)}
          {...grab(k)}
        >
          <svg viewBox="0 0 14 19" className="block size-full overflow-visible">
            <path
              d={ramp.stops[k]!.hold && !stepped ? "M7 1.2h5.8v16.6H1.2V7z" : "M7 1.2 12.8 7v10.8H1.2V7z"}
              fill={colourOf(k)}
              stroke={k === chosen ? "var(--ink)" : "var(--panel)"}
              strokeWidth={k === chosen ? 2.4 : 1.6}
            />
          </svg>
        </span>
      ))}
    </div>
  );
}

/** How many elements each band has, or the chosen stop is nearest to. */
function Shares({ ramp, stops, chosen, census, total, edges }: Drawn) {
  const stepped = ramp.interpolation === "steps";
  return (
    <div className="relative h-5 text-[11px] tabular" aria-hidden>
      {stops.map(({ at, stop }, k) => {
        const left = stepped ? edges[k]! : at;
        const right = stepped ? edges[k + 1]! : at;
        const wide = stepped ? right - left > 0.08 : true;
        if (!wide || (!stepped && k !== chosen)) return null;
        return (
          <span
            key={k}
            className={`absolute top-0.5 inline-flex -translate-x-1/2 items-center gap-0.5 whitespace-nowrap ${k === chosen ? "font-semibold" : "text-soft"}`}
            style={{ left: `${Math.min(0.96, Math.max(0.04, (left + right) / 2)) * 100}%` }}
          >
            {percent(census?.counts[k] ?? 0, total)}
            {stop.locked && stepped && <Lock size={9} />}
          </span>
        );
      })}
    </div>
  );
}
