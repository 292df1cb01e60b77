/** The opened ramp: what comes in above it, its stops, its shares below. */
import { ArrowLeftRight, Plus, Rows3, Trash2 } from "lucide-react";
import { useRef } from "react";
import type { Ramp, RampCensus, Stop, TraceStep } from "../api/client";
import { orderedStops } from "../state/edits";
import { editRamp, setShares } from "../state/ramps";
import { chooseStep, isolate, useStore } from "../state/store";
import { Button, IconButton } from "../widgets/Button";
import { bytesOf } from "../widgets/bytes";
import { Choice } from "../widgets/Choice";
import { ColourField } from "../widgets/ColourField";
import { Bar, Bars } from "../widgets/Distribution";
import { NumberField } from "../widgets/NumberField";
import { percent, withShare } from "../widgets/shares";

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

export function RampEditor({ ramp, place, index, census, trace, onDraft, onCommit }: Props) {
  const track = useRef<HTMLDivElement>(null);
  const chosen = Math.min(useStore((s) => s.stop), ramp.stops.length - 1);
  const stop = ramp.stops[chosen]!;
  const stepped = ramp.interpolation === "step";
  const total = census?.counts.reduce((a, b) => a + b, 0) ?? 0;
  const choose = (k: number) => chooseStep(index, k);
  const moving = useRef<{ index: number; ramp: Ramp; moved: boolean } | null>(null);

  /** The ramp with stop k changed, put in order; the stop stays chosen wherever it goes. */
  function changed(base: Ramp, k: number, to: Partial<Stop>): { ramp: Ramp; index: number } {
    const found = orderedStops(
      base.stops.map((s, i) => (i === k ? { ...s, ...to } : s)),
      k,
    );
    return { ramp: { ...base, stops: found.stops }, index: found.index };
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

  function add(at: number) {
    if (ramp.stops.length >= MOST_STOPS) return;
    const rgb = census ? bytesOf(census.bar) : null;
    const cell = Math.min(255, Math.floor(at * 256));
    const colour = rgb
      ? `#${[...rgb.subarray(3 * cell, 3 * cell + 3)].map((v) => v.toString(16).padStart(2, "0")).join("")}`
      : stop.colour;
    const found = orderedStops([...ramp.stops, { at, colour }], ramp.stops.length);
    onCommit({ ...ramp, stops: found.stops }, "Add a stop");
    choose(found.index);
  }

  /** The middle of the widest gap, for adding by keyboard. */
  function widest(): number {
    const edges = [...ramp.stops.map((s) => s.at), 1];
    const gaps = edges.slice(1).map((e, k) => [e - edges[k]!, (e + edges[k]!) / 2] as const);
    return gaps.toSorted((a, b) => b[0] - a[0])[0]?.[1] ?? 0.5;
  }

  function remove(k: number) {
    if (ramp.stops.length < 2) return;
    onCommit({ ...ramp, stops: ramp.stops.filter((_, i) => i !== k) }, "Remove a stop");
    choose(Math.max(0, k - 1));
  }

  function keys(event: React.KeyboardEvent, k: number) {
    const by = event.shiftKey ? 0.1 : event.altKey ? 0.001 : 0.01;
    const at = ramp.stops[k]!.at;
    const to = { ArrowLeft: at - by, ArrowRight: at + by, Home: 0, End: 1 }[event.key];
    if (to !== undefined) {
      event.preventDefault();
      set(k, { at: Math.min(1, Math.max(0, to)) }, "Move a stop");
    } else if (event.key === "Delete" || event.key === "Backspace") {
      event.preventDefault();
      remove(k);
    }
  }

  const edges = [0, ...ramp.stops.slice(1).map((s) => s.at), 1];
  return (
    <div>
      {census && <Bars of={census.incoming} height={30} label="Values that reach the ramp" mark={trace?.at} />}
      <div
        ref={track}
        className="relative mt-0.5 h-8 cursor-copy overflow-hidden rounded-[4px]"
        role="presentation"
        title="Click to add a stop"
        onClick={(e) => add(placeAt(e.clientX))}
      >
        {stepped ? (
          ramp.stops.map((s, k) => (
            <span
              key={k}
              className="absolute inset-y-0"
              style={{
                left: `${edges[k]! * 100}%`,
                right: `${(1 - edges[k + 1]!) * 100}%`,
                background: s.colour,
              }}
            />
          ))
        ) : census ? (
          <Bar bar={census.bar} height={32} />
        ) : null}
        {trace?.at !== undefined && (
          <span
            aria-hidden
            className="absolute inset-y-0 w-0 border-l-2 border-dotted border-white mix-blend-difference"
            style={{ left: `${Math.min(1, Math.max(0, trace.at)) * 100}%` }}
          />
        )}
      </div>
      <div className="relative h-5" role="group" aria-label="Stops">
        {ramp.stops.map((s, k) => (
          <span
            key={k}
            role="slider"
            tabIndex={0}
            aria-label={`Stop ${k + 1}, ${s.colour}`}
            aria-valuemin={0}
            aria-valuemax={1}
            aria-valuenow={s.at}
            className="absolute top-0 -ml-[7px] h-[19px] w-[14px] cursor-ew-resize touch-none"
            style={{ left: `${s.at * 100}%`, zIndex: k === chosen ? 2 : 1 }}
            onFocus={() => choose(k)}
            onKeyDown={(e) => keys(e, k)}
            onPointerDown={(e) => {
              e.preventDefault();
              e.currentTarget.focus();
              e.currentTarget.setPointerCapture(e.pointerId);
              moving.current = { index: k, ramp, moved: false };
              choose(k);
            }}
            onPointerMove={(e) => {
              const held = moving.current;
              if (!held) return;
              const at = Math.round(placeAt(e.clientX) * 1000) / 1000;
              if (at === held.ramp.stops[held.index]!.at) return;
              const next = changed(held.ramp, held.index, { at });
              moving.current = { index: next.index, ramp: next.ramp, moved: true };
              onDraft(next.ramp);
              choose(next.index);
            }}
            onPointerUp={() => {
              const held = moving.current;
              moving.current = null;
              if (held?.moved) onCommit(held.ramp, "Move a stop");
            }}
          >
            <svg viewBox="0 0 14 19" className="block size-full overflow-visible">
              <path
                d="M7 1.2 12.8 7v10.8H1.2V7z"
                fill={s.colour}
                stroke={k === chosen ? "var(--ink)" : "var(--panel)"}
                strokeWidth={k === chosen ? 2.4 : 1.6}
              />
            </svg>
          </span>
        ))}
      </div>
      <div className="relative h-5 text-[11px] tabular" aria-hidden>
        {ramp.stops.map((s, k) => {
          const left = stepped ? edges[k]! : s.at;
          const right = stepped ? edges[k + 1]! : s.at;
          const wide = stepped ? right - left > 0.08 : true;
          if (!wide || (!stepped && k !== chosen)) return null;
          return (
            <span
              key={k}
              className={`absolute top-0.5 -translate-x-1/2 ${k === chosen ? "font-semibold" : "text-soft"}`}
              style={{ left: `${Math.min(0.96, Math.max(0.04, (left + right) / 2)) * 100}%` }}
            >
              {percent(census?.counts[k] ?? 0, total)}
            </span>
          );
        })}
      </div>
      <div className="mt-1 flex flex-wrap items-center gap-x-2.5 gap-y-2" onPointerEnter={() => isolate(null)}>
        <ColourField
          label={`Stop ${chosen + 1}`}
          value={stop.colour}
          onDraft={(colour) => onDraft(changed(ramp, chosen, { colour }).ramp)}
          onCommit={(colour) => set(chosen, { colour }, "Recolour a stop")}
        />
        <NumberField
          label={stepped ? "from" : "at"}
          value={stop.at}
          min={0}
          max={1}
          step={0.01}
          digits={4}
          width="w-[60px]"
          onDraft={(at) => onDraft(changed(ramp, chosen, { at }).ramp)}
          onCommit={(at) => set(chosen, { at }, "Move a stop")}
        />
        {stepped && census ? (
          <NumberField
            label="share"
            unit="%"
            value={total ? (100 * (census.counts[chosen] ?? 0)) / total : 0}
            min={0}
            max={100}
            step={1}
            digits={2}
            width="w-[66px]"
            onCommit={(v) => void setShares(place, withShare(census.counts, chosen, v / 100))}
          />
        ) : (
          <span className="text-soft tabular" title="Elements whose colour is nearest to this stop's">
            near {percent(census?.counts[chosen] ?? 0, total)}
          </span>
        )}
        <span className="ml-auto inline-flex">
          <IconButton label="Add a stop in the widest gap" onClick={() => add(widest())}>
            <Plus size={15} />
          </IconButton>
          <IconButton label={`Remove stop ${chosen + 1}`} disabled={ramp.stops.length < 2} onClick={() => remove(chosen)}>
            <Trash2 size={14} />
          </IconButton>
        </span>
      </div>
      <div className="mt-2 flex flex-wrap items-center gap-x-2 gap-y-1.5 border-t border-line pt-2">
        <Choice
          label="Between stops"
          plain
          value={ramp.interpolation}
          options={[
            { value: "step", label: "Steps" },
            { value: "linear", label: "Linear" },
          ]}
          onChange={(interpolation) => onCommit({ ...ramp, interpolation }, "Change what lies between stops")}
        />
        <Choice
          label="Mix in"
          plain
          value={ramp.mix_in}
          options={[
            { value: "oklab", label: "Mixed in OKLab" },
            { value: "linear_rgb", label: "Mixed in linear RGB" },
          ]}
          onChange={(mix_in) => onCommit({ ...ramp, mix_in }, "Change where colours are mixed")}
        />
        <span className="grow" />
        <Button onClick={() => void editRamp(place, "flip")}>
          <ArrowLeftRight size={13} aria-hidden />
          Flip
        </Button>
        <Button onClick={() => void editRamp(place, "space_evenly")}>
          <Rows3 size={13} className="rotate-90" aria-hidden />
          Space evenly
        </Button>
      </div>
    </div>
  );
}
