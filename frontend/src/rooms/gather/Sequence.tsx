/** Bringing a population that moves: numbered files, or all frames of one file; one after another, with a way to stop. */
import { DialogTitle } from "@headlessui/react";
import { Film } from "lucide-react";
import { useRef } from "react";
import { create } from "zustand";
import { type ImportAnswer, json, type PopulationDocument, upload } from "../../api/client";
import { edit, addPopulation, useStore } from "../../state/store";
import { Button } from "../../widgets/Button";
import { Modal } from "../../widgets/Modal";
import { population } from "./fresh";

interface Bringing {
  name: string;
  done: number;
  whole: number;
  sentence: string;
}

const useBringing = create<{ now: Bringing | null }>(() => ({ now: null }));
let stopper = new AbortController();

interface Taken {
  frame: number;
  file: File;
  /** More of the address. */
  query: string;
}

/** The number right before the ending of a file's name; null where there is none. */
const numberOf = (name: string) => {
  const found = /(\d{1,9})\.[^.]+$/.exec(name);
  return found ? Number(found[1]) : null;
};

/** Whether several files are the frames of one thing. */
export const areFrames = (files: File[]) => files.length > 1 && files.every((f) => numberOf(f.name) !== null);

/** Bring numbered files as one population. */
export function bringFiles(files: File[]) {
  const taken = files.map((file) => ({ frame: numberOf(file.name) ?? 0, file, query: "copies=parts" }));
  return bring(taken.toSorted((a, b) => a.frame - b.frame), files[0]!.name.replace(/[._-]*\d+\.[^.]+$/, "") || "Sequence");
}

/** Bring one thing of a file at each whole frame between two. */
export function bringFrames(file: File, [first, last]: [number, number], thing: number, ways: string) {
  const frames = Array.from({ length: Math.floor(last) - Math.ceil(first) + 1 }, (_, k) => Math.ceil(first) + k);
  return bring(frames.map((frame) => ({ frame, file, query: `only=${thing}&${ways}&frame=${frame}` })), file.name.replace(/\.[^.]+$/, ""));
}

async function bring(taken: Taken[], name: string) {
  stopper = new AbortController();
  const mine = stopper;
  const tell = (more: Partial<Bringing>) => useBringing.setState(({ now }) => ({ now: now && { ...now, ...more } }));
  useBringing.setState({ now: { name, done: 0, whole: taken.length, sentence: "" } });
  try {
    const frames = [];
    let first: ImportAnswer["things"][number] | null = null;
    for (const [k, { frame, file, query }] of taken.entries()) {
      // oxlint-disable-next-line no-await-in-loop -- one at a time: each is read whole on the other side
      const answer = await upload<ImportAnswer>(`/imports?${query}`, file, () => undefined, mine.signal);
      if (mine.signal.aborted) return;
      first ??= answer.things[0]!;
      frames.push({ frame, maker: answer.things[0]!.maker });
      tell({ done: k + 1 });
    }
    const { maker } = await json<{ maker: PopulationDocument["maker"] & { first: number; last: number } }>("POST", "/sequences", { file: taken[0]!.file.name, frames });
    const { scene } = useStore.getState();
    if (!scene) return;
    addPopulation(population(scene, name.slice(0, 100), maker, first!.shape, first!.look));
    if (maker.first < scene.timeline.first || maker.last > scene.timeline.last) {
      edit("Reach all frames", (s) => ({
        ...s,
        timeline: { ...s.timeline, first: Math.min(maker.first, s.timeline.first), last: Math.max(maker.last, s.timeline.last) },
      }));
    }
    useBringing.setState({ now: null });
  } catch (error) {
    if (!mine.signal.aborted) tell({ sentence: (error as Error).message });
  }
}

function stop() {
  stopper.abort();
  useBringing.setState({ now: null });
}

/** How far it is, and a way to stop. */
export function SequenceDialog() {
  const now = useBringing((s) => s.now);
  return (
    <Modal open={now !== null} onClose={stop} className="w-[420px] p-5">
      <DialogTitle className="truncate text-[15px] font-semibold">{now?.name}</DialogTitle>
      {now && !now.sentence && (
        <div role="status" className="tabular">
          {`Frame ${now.done} of ${now.whole}`}
          <progress className="mt-1.5 block h-1.5 w-full accent-ink" aria-label="Frames brought" max={now.whole} value={now.done} />
        </div>
      )}
      {now?.sentence && (
        <p role="alert" className="rounded-lg border-2 border-ink p-3">
          {now.sentence}
        </p>
      )}
      <div className="flex justify-end">
        <Button onClick={stop}>{now?.sentence ? "Close" : "Stop"}</Button>
      </div>
    </Modal>
  );
}

/** Opens the file dialogue for numbered files. */
export function SequenceButton({ accept }: { accept: string }) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <Button onClick={() => input.current?.click()}>
        <Film size={14} aria-hidden />
        Import numbered files…
      </Button>
      <input
        ref={input}
        type="file"
        multiple
        accept={accept}
        className="sr-only"
        tabIndex={-1}
        aria-label="Numbered files to import"
        onChange={(e) => {
          const files = [...(e.target.files ?? [])];
          e.target.value = "";
          if (files.length > 0) void bringFiles(files);
        }}
      />
    </>
  );
}
