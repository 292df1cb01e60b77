/** The timeline under the view: play, loop, step, keys, and the frame; shown when something reads time. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { ChevronFirst, ChevronLast, ChevronLeft, ChevronRight, Footprints, Pause, Play, Repeat, Settings2, TriangleAlert } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import type { Timeline } from "../api/client";
import { edit, goTo, keyFrames, play, reachesTime, toKey, useStore } from "../state/store";
import { useJobs } from "../state/jobs";
import { askMotion, useMotion, workOut } from "../state/motion";
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
        <Births />
        <Kept />
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
      <Trouble />
      <WorkOut />
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

/** Milliseconds that the scene rests before it is asked which frames are there. */
const RESTED = 400;

/** Behind the slider how many particles each frame brings. */
function Births() {
  const births = useMotion((s) => s.births);
  const most = Math.max(0, ...births);
  if (most === 0) return null;
  const outline = births.map((many, k) => `L${k},${1 - many / most}L${k + 1},${1 - many / most}`).join("");
  return (
    <svg
      role="img"
      aria-label={`Births a frame: at most ${Math.round(most).toLocaleString("en-GB")}`}
      viewBox={`0 0 ${births.length} 1`}
      preserveAspectRatio="none"
      className="pointer-events-none absolute inset-x-2 bottom-[2px] h-[11px] w-[calc(100%-16px)]"
    >
      <path d={`M0,1${outline}L${births.length},1Z`} className="fill-line" />
    </svg>
  );
}

/** Under the slider a line where frames of the motion are there. */
function Kept() {
  const scene = useStore((s) => s.scene);
  // What has been shown may have been worked out for it.
  const shown = useStore((s) => (s.playing ? null : s.results));
  useEffect(() => {
    const timer = setTimeout(() => void askMotion(), RESTED);
    return () => clearTimeout(timer);
  }, [scene, shown]);
  const frames = useMotion((s) => s.frames);
  if (frames.length === 0) return null;
  const runs: [number, number][] = [];
  frames.forEach((there, k) => {
    if (!there) return;
    const last = runs.at(-1);
    if (last && last[1] === k) last[1] = k + 1;
    else runs.push([k, k + 1]);
  });
  const many = frames.filter(Boolean).length;
  return (
    <span role="img" aria-label={`${many} of ${frames.length} frames of the motion are there`} className="pointer-events-none absolute inset-x-2 bottom-[-1px] h-[3px] rounded bg-line">
      {runs.map(([a, b]) => (
        <span key={a} className="absolute inset-y-0 rounded bg-strong" style={{ left: `${(100 * a) / frames.length}%`, width: `${(100 * (b - a)) / frames.length}%` }} />
      ))}
    </span>
  );
}

/** That frames cannot be kept on the disk, and why. */
function Trouble() {
  const trouble = useMotion((s) => s.trouble);
  if (!trouble) return null;
  return (
    <span role="alert" aria-label={trouble} title={trouble} className="flex-none">
      <TriangleAlert size={14} aria-hidden />
    </span>
  );
}

/** Works out what is missing of the motion; what that costs is told before. */
function WorkOut() {
  const { missing, size } = useMotion();
  const busy = useJobs((s) => s.jobs.some((job) => job.kind === "motion" && (job.state === "running" || job.state === "waiting")));
  if (missing === 0) return null;
  return (
    <IconButton
      label={`Work the motion out: ${missing.toLocaleString("en-GB")} frames, about ${Math.max(1, Math.round(size / 1e6)).toLocaleString("en-GB")} MB on the disk`}
      disabled={busy}
      onClick={() => void workOut()}
    >
      <Footprints size={14} />
    </IconButton>
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
