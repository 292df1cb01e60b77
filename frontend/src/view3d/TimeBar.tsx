/** The timeline under the view: play, loop, step, keys, and the frame; shown when something reads time. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { ChevronFirst, ChevronLast, ChevronLeft, ChevronRight, Pause, Play, Repeat, Settings2 } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import type { Timeline } from "../api/client";
import { edit, goTo, keyFrames, play, reachesTime, toKey, useStore } from "../state/store";
import { IconButton } from "../widgets/Button";
import { NumberField } from "../widgets/NumberField";

export function TimeBar() {
  const shown = useStore(reachesTime);
  const timeline = useStore((s) => s.scene?.timeline);
  if (!shown || !timeline) return null;
  return <Bar timeline={timeline} />;
}

const change = (label: string, to: Partial<Timeline>) => edit(label, (scene) => ({ ...scene, timeline: { ...scene.timeline, ...to } }));

function Bar({ timeline }: { timeline: Timeline }) {
  const frame = useStore((s) => s.frame);
  const playing = useStore((s) => s.playing);
  const looping = useStore((s) => s.looping);
  const keys = useStore((s) => keyFrames(s.scene).join());
  const { first, last } = timeline;
  const span = Math.max(1, last - first);
  const inside = keys === "" ? [] : keys.split(",").map(Number).filter((k) => k >= first && k <= last);
  return (
    <section aria-label="Timeline" className="flex h-11 min-w-0 items-center gap-0.5 overflow-hidden border-t border-line bg-panel px-2">
      <IconButton label="Go to the first frame" onClick={() => goTo(first)}>
        <ChevronFirst size={15} />
      </IconButton>
      <IconButton label="One frame back" onClick={() => goTo(frame - 1)}>
        <ChevronLeft size={15} />
      </IconButton>
      <IconButton label={playing ? "Stop" : "Play"} onClick={() => play(!playing)}>
        {playing ? <Pause size={15} /> : <Play size={15} />}
      </IconButton>
      <IconButton label="One frame on" onClick={() => goTo(frame + 1)}>
        <ChevronRight size={15} />
      </IconButton>
      <IconButton label="Go to the last frame" onClick={() => goTo(last)}>
        <ChevronLast size={15} />
      </IconButton>
      <IconButton label="Loop" aria-pressed={looping} className={looping ? "bg-well" : "text-strong"} onClick={() => useStore.setState({ looping: !looping })}>
        <Repeat size={14} />
      </IconButton>
      <div className="relative mx-1.5 h-6 min-w-16 grow">
        {inside.map((k) => (
          <span key={k} aria-hidden className="pointer-events-none absolute top-0.5 size-[7px] -translate-x-1/2 rotate-45 bg-strong" style={{ left: `calc(8px + (100% - 16px) * ${(k - first) / span})` }} />
        ))}
        <input
          type="range"
          aria-label="Frame"
          className="absolute inset-x-0 bottom-0 h-4 w-full accent-ink"
          min={first}
          max={last}
          step={1}
          value={frame}
          onChange={(e) => {
            play(false);
            goTo(Number(e.target.value));
          }}
        />
      </div>
      {inside.length > 0 && (
        <>
          <IconButton label="Key before" onClick={() => toKey(-1)}>
            <span aria-hidden className="text-[11px]">‹◆</span>
          </IconButton>
          <IconButton label="Next key" onClick={() => toKey(1)}>
            <span aria-hidden className="text-[11px]">◆›</span>
          </IconButton>
        </>
      )}
      <NumberField label="Frame number" hideLabel whole min={first} max={last} value={frame} width="w-[52px]" onCommit={goTo} />
      <Made playing={playing} />
      <Settings timeline={timeline} />
    </section>
  );
}

/** The first and last frame and the rate, behind a button that says them. */
function Settings({ timeline: { first, last, rate } }: { timeline: Timeline }) {
  return (
    <Popover>
      <PopoverButton className="button tabular" aria-label={`Frames ${first} to ${last} at ${rate} a second. Change them`}>
        {`${first}–${last}`}
        <Settings2 size={13} aria-hidden />
      </PopoverButton>
      <PopoverPanel anchor={{ to: "top end", gap: 6 }} className="panel z-40 flex flex-col items-end gap-2 p-2.5 shadow-xl outline-none">
        <NumberField label="First frame" whole min={0} max={1_000_000} value={first} onCommit={(v) => change("Change the first frame", { first: v, last: Math.max(v, last) })} />
        <NumberField label="Last frame" whole min={0} max={1_000_000} value={last} onCommit={(v) => change("Change the last frame", { last: v, first: Math.min(v, first) })} />
        <NumberField label="Frames a second" min={1} max={1000} step={1} value={rate} onCommit={(v) => change("Change the rate", { rate: v })} />
      </PopoverPanel>
    </Popover>
  );
}

/** While it plays, the frames shown in the last second; for those who look from outside, how many steps were worked out. */
function Made({ playing }: { playing: boolean }) {
  const made = useStore((s) => {
    const all = Object.values(s.results);
    return `${all.reduce((n, r) => n + r.computed.length, 0)} of ${all.reduce((n, r) => n + r.computed.length + r.reused, 0)}`;
  });
  const shown = useStore((s) => s.shownFrame);
  const times = useRef<number[]>([]);
  const [rate, setRate] = useState(0);
  useEffect(() => {
    const now = performance.now();
    times.current = [...times.current.filter((t) => now - t < 1000), now];
    if (playing) setRate(times.current.length);
  }, [shown, playing]);
  return (
    <span className="mr-1 w-[78px] flex-none truncate text-right text-[11px] text-soft tabular" title="Frames shown in the last second" data-made={made}>
      {playing ? `${rate} frames/s` : ""}
    </span>
  );
}
