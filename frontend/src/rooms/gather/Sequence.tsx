/** Bringing a population that moves: numbered files, or all frames of one file. Each file is sent once; the rest is a job. */
import { Film } from "lucide-react";
import { useRef } from "react";
import { type ImportAnswer, Refused, type SequenceMade, type Ways } from "../../api/client";
import { documentOf, done, forget, send } from "../../state/jobs";
import { tell, useStore } from "../../state/store";
import { Button } from "../../widgets/Button";
import { addFirstFrame, addSequence, stemOf } from "./arriving";
import { freeId } from "./fresh";

interface Frame {
  frame: number;
  upload: string;
}

/** The number right before the ending of a file's name; null where there is none. */
const numberOf = (name: string) => {
  const found = /(\d{1,9})\.[^.]+$/.exec(name);
  return found ? Number(found[1]) : null;
};

/** Whether several files are the frames of one thing. */
export const areFrames = (files: File[]) => files.length > 1 && files.every((f) => numberOf(f.name) !== null);

/** Bring numbered files as one population. */
export async function bringFiles(files: File[]) {
  const taken = files.map((file) => ({ frame: numberOf(file.name) ?? 0, file })).toSorted((a, b) => a.frame - b.frame);
  const name = files[0]!.name.replace(/[._-]*\d+\.[^.]+$/, "") || "Sequence";
  const frames: Frame[] = [];
  await told(async () => {
    const ways: Partial<Ways> = { copies: "parts" };
    const into = idFor(name);
    for (const [k, { frame, file }] of taken.entries()) {
      // oxlint-disable-next-line no-await-in-loop -- one after another, so that stopping one stops all
      frames.push({ frame, upload: await send(file, `sending ${k + 1} of ${taken.length}`) });
      // oxlint-disable-next-line no-await-in-loop
      if (k === 0) await openFirst(name, frames[0]!, { ...ways, only: [0] }, into);
    }
    await bring(name, frames, ways, into);
  });
  for (const { upload } of frames) forget(upload);
}

/** Bring one thing of a file that was sent at each whole frame between two. */
export async function bringFrames(upload: string, file: string, [first, last]: [number, number], thing: number, ways: Partial<Ways>) {
  const frames = Array.from({ length: Math.floor(last) - Math.ceil(first) + 1 }, (_, k) => ({ frame: Math.ceil(first) + k, upload }));
  await told(async () => {
    const of: Partial<Ways> = { ...ways, frame: null, only: [thing] };
    const name = stemOf(file);
    const into = idFor(name);
    // The job is begun before the first frame is there: after a reload it is found again.
    const whole = bring(name, frames, of, into);
    const opened = openFirst(name, frames[0]!, { ...of, frame: frames[0]!.frame }, into);
    await Promise.all([whole, opened]);
  });
  forget(upload);
}

/** Open the first frame, so that it can be coloured while the others are read; where nobody lives there they come alone. */
async function openFirst(name: string, { upload }: Frame, ways: Partial<Ways>, id: string) {
  try {
    addFirstFrame(name, id, await documentOf<ImportAnswer>(await done("imports", { upload, scene: useStore.getState().sceneId, ways })));
  } catch (error) {
    if (!(error instanceof Refused && error.code === "nobody")) throw error;
  }
}

const idFor = (name: string) => freeId(useStore.getState().scene!, name);

async function bring(name: string, frames: Frame[], ways: Partial<Ways>, into: string) {
  const job = await done("sequences", { name: name.slice(0, 200), scene: useStore.getState().sceneId, frames, ways, into });
  addSequence(await documentOf<SequenceMade>(job));
}

/** Do it, and say what went wrong; what was stopped is not told. */
async function told(work: () => Promise<void>) {
  try {
    await work();
  } catch (error) {
    if ((error as Error).name !== "AbortError") tell((error as Error).message);
  }
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
