/** A file's preview before anything is stored: what was recognised, what each thing becomes, what was derived. */
import { DialogTitle } from "@headlessui/react";
import { useEffect, useState } from "react";
import { create } from "zustand";
import type { AttributeCensus, ImportAnswer, ImportPreview, Job, Refused, ThingPreview, Ways } from "../../api/client";
import { offerPicture } from "../../library/PictureDialog";
import { documentOf, done, forget, send } from "../../state/jobs";
import { takePicture, useStore } from "../../state/store";
import { Button } from "../../widgets/Button";
import { Choice } from "../../widgets/Choice";
import { Bars } from "../../widgets/Distribution";
import { Modal } from "../../widgets/Modal";
import { NumberField } from "../../widgets/NumberField";
import { addImported } from "./arriving";
import { areFrames, bringFiles, bringFrames } from "./Sequence";
import { textsSaid } from "../words";

interface Offer {
  file: File | null;
  /** What the file is called that was sent; empty while it is on its way. */
  upload: string;
  preview: ImportPreview | null;
  /** The numbers of the things that are to be added, and the one whose values are listed. */
  wanted: number[];
  looked: number;
  /** How the file is to be read, where there is more than one way. */
  ways: Ways;
  sentence: string;
  place: string;
  busy: boolean;
  /** What is done now, and the part of it that is done, 0..1. */
  words: string;
  share: number;
}

const PLAIN: Ways = { repeated: "clones", copies: "parts", each: "copy", frame: null, colours: "own", only: [] };
const nothing: Offer = { file: null, upload: "", preview: null, wanted: [], looked: 0, ways: PLAIN, sentence: "", place: "", busy: false, words: "", share: 0 };
const useOffer = create<Offer>(() => nothing);
let stopper = new AbortController();

/** Let the server work on the file, which is sent the first time; what is refused is told in the dialogue, what was stopped is not. */
async function working<T>(path: string, file: File, ways: Ways): Promise<T | null> {
  stopper.abort();
  stopper = new AbortController();
  const mine = stopper;
  useOffer.setState({ busy: true, words: "sending", share: 0, sentence: "", place: "" });
  try {
    let { upload } = useOffer.getState();
    if (!upload) {
      upload = await send(file, "sending", mine.signal);
      if (useOffer.getState().file === file) useOffer.setState({ upload });
    }
    const told = ({ words, share }: Job) => useOffer.setState({ words, share });
    return await documentOf<T>(await done(path, { upload, scene: useStore.getState().sceneId, ways }, told, mine.signal));
  } catch (error) {
    if (!mine.signal.aborted) {
      const said = error as Refused;
      useOffer.setState({ sentence: said.sentence ?? said.message, place: said.place ?? "" });
    }
    return null;
  } finally {
    if (mine === stopper) useOffer.setState({ busy: false });
  }
}

export function offerFile(file: File) {
  useOffer.setState({ ...nothing, file });
  return look();
}

/** Look at the file, as it is to be read now. */
async function look() {
  const { file, ways } = useOffer.getState();
  if (!file) return;
  const preview = await working<ImportPreview>("previews", file, ways);
  const { file: now, preview: before, wanted, looked } = useOffer.getState();
  if (!preview || now !== file) return;
  const same = before?.things.length === preview.things.length;
  useOffer.setState({ preview, wanted: same ? wanted : preview.things.map((_, k) => k), looked: same ? looked : 0 });
}

function close() {
  stopper.abort();
  const { upload } = useOffer.getState();
  if (upload) forget(upload);
  useOffer.setState(nothing);
}

async function accept() {
  const { file, wanted, ways, preview } = useOffer.getState();
  if (!file || !preview) return;
  const answer = await working<ImportAnswer>("imports", file, { ...ways, only: wanted });
  if (!answer) return;
  addImported(answer);
  close();
}

/** One thing of the file at all of its frames, by a job that goes on without the window. */
function acceptFrames(frames: [number, number]) {
  const { file, upload, looked, ways } = useOffer.getState();
  if (!file || !upload) return;
  stopper.abort();
  useOffer.setState(nothing);
  void bringFrames(upload, file.name, frames, looked, ways);
}

/** Dropping a file anywhere on the page offers it. */
export function DropZone() {
  const [over, setOver] = useState(false);
  useEffect(() => {
    const files = (e: DragEvent) => e.dataTransfer?.types.includes("Files");
    const drag = (e: DragEvent) => {
      if (!files(e)) return;
      e.preventDefault();
      setOver(e.type !== "dragleave" || e.relatedTarget !== null);
    };
    const drop = (e: DragEvent) => {
      if (!files(e)) return;
      e.preventDefault();
      setOver(false);
      const dropped = [...(e.dataTransfer?.files ?? [])];
      if (areFrames(dropped)) void bringFiles(dropped);
      else if (dropped[0]) take(dropped[0]);
    };
    const take = (file: File) => {
      // What only chains read goes into the tray at once; what a palette can be made of too is asked about.
      if (/\.(tiff?|exr)$/i.test(file.name)) void takePicture(file);
      else if (file.type.startsWith("image/")) offerPicture(file);
      else void offerFile(file);
    };
    const paste = (e: ClipboardEvent) => {
      const file = [...(e.clipboardData?.files ?? [])].find((f) => f.type.startsWith("image/"));
      if (!file) return;
      e.preventDefault();
      take(file);
    };
    window.addEventListener("paste", paste);
    const listeners = { dragenter: drag, dragover: drag, dragleave: drag, drop } as const;
    for (const [name, run] of Object.entries(listeners)) window.addEventListener(name as "drop", run);
    return () => {
      window.removeEventListener("paste", paste);
      for (const [name, run] of Object.entries(listeners)) window.removeEventListener(name as "drop", run);
    };
  }, []);
  if (!over) return null;
  return (
    <div className="pointer-events-none fixed inset-3 z-50 grid place-items-center rounded-xl border-2 border-dashed border-ink bg-panel/80 text-base font-semibold">
      Drop a mesh or points (OBJ, PLY, GLB, USD, CSV) to see what they hold, or a picture
    </div>
  );
}

/** The things of a file, each to be added or not; a click shows what it carries. */
function Things({ things }: { things: ThingPreview[] }) {
  const wanted = useOffer((s) => s.wanted);
  const looked = useOffer((s) => s.looked);
  const flip = (k: number) => useOffer.setState({ wanted: wanted.includes(k) ? wanted.filter((n) => n !== k) : [...wanted, k].toSorted((a, b) => a - b) });
  return (
    <ul aria-label="What the file holds" className="flex max-h-40 flex-none flex-col gap-1 overflow-y-auto">
      {things.map((thing, k) => (
        // oxlint-disable-next-line no-array-index-key -- a thing is known by its number in the file
        <li key={k} className={`flex items-center gap-2 rounded-md border px-2 py-1 ${k === looked ? "border-ink" : "border-line"}`}>
          <input type="checkbox" className="accent-ink" aria-label={`Add ${thing.name}`} checked={wanted.includes(k)} onChange={() => flip(k)} />
          <button type="button" className="min-w-0 grow cursor-pointer truncate text-left" aria-pressed={k === looked} onClick={() => useOffer.setState({ looked: k })}>
            <span className="font-medium">{thing.name}</span> <span className="text-soft">{thing.becomes}</span>
          </button>
        </li>
      ))}
    </ul>
  );
}

/** A small picture of a thing as it will arrive, and how it is coloured then. */
function Arriving({ thing, ways }: { thing: ThingPreview; ways: Ways }) {
  const groups = thing.groups as [string, number][];
  const options = [
    ...(thing.colours ? [{ value: "own", label: `Its own, ${thing.colours}` }] : [{ value: "own", label: thing.kind === "strands" ? "Along a ramp" : "By chance" }]),
    ...(thing.colours || thing.kind === "strands" ? [{ value: "chance", label: "By chance" }] : []),
    ...groups.map(([name, count]) => ({ value: `each:${name}`, label: `One each for ${name} (${count})` })),
  ];
  const change = (colours: string) => {
    useOffer.setState({ ways: { ...ways, colours } });
    void look();
  };
  return (
    <div className="flex items-center gap-3">
      <img src={thing.picture} width={240} height={150} alt={`${thing.name} as it will arrive`} className="flex-none rounded-md border border-line bg-well" />
      <div className="flex min-w-0 flex-col gap-1 text-soft">
        <span>Colours at first</span>
        <span className="-ml-1 text-ink">
          <Choice label="Colours at first" plain value={options.some(({ value }) => value === ways.colours) ? ways.colours : "own"} options={options} onChange={change} />
        </span>
      </div>
    </div>
  );
}

/** What one thing carries. */
function Carried({ thing }: { thing: ThingPreview }) {
  const attributes = thing.attributes as unknown as AttributeCensus[];
  const levels = thing.levels as unknown as { name: string; count: number }[];
  const word = useStore((s) => (thing.kind === "clones" ? "elements" : (s.kinds.find((k) => k.name === thing.kind)?.elements ?? "elements")));
  return (
    <>
      <p className="text-soft">
        <span className="font-semibold text-ink tabular">{thing.count.toLocaleString("en-GB")}</span> {word}
        {levels.slice(1).map((l) => ` in ${l.count.toLocaleString("en-GB")} ${l.name}${l.count === 1 ? "" : "s"}`)} with {attributes.length} attributes. Nothing is stored until
        you add it.
      </p>
      <div className="min-h-0 overflow-y-auto">
        <table className="w-full border-separate border-spacing-y-1 text-left">
          <thead className="text-[11px] text-soft">
            <tr>
              <th className="font-normal">Attribute</th>
              <th className="font-normal">Recognised as</th>
              <th className="w-40 font-normal">Distribution</th>
            </tr>
          </thead>
          <tbody>
            {attributes.map((a) => (
              <tr key={a.name}>
                <td className="font-medium">{a.name}</td>
                <td className="text-soft">
                  {a.kind}
                  {a.width > 1 ? ` of ${a.width}` : ""}
                  {a.derived ? ", derived" : ""}
                  {a.unreadable ? `, ${a.unreadable} missing` : ""}
                </td>
                <td>{a.census ? <Bars of={a.census} height={16} label={`Distribution of ${a.name}`} /> : textsSaid(a.texts)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {thing.notes.length > 0 && (
        <ul className="list-disc pl-4 text-soft">
          {thing.notes.map((note) => (
            <li key={note}>{note}</li>
          ))}
        </ul>
      )}
    </>
  );
}

/** Files of scenes can hold one mesh many times; all of these can hold real copies. */
const SCENES = /\.(glb|usd[acz]?)$/i;
const MESHES = /\.(obj|glb|usd[acz]?)$/i;

/** What a file's repeated meshes, copies and moving things become. */
function HowToRead({ ways, scene, frames }: { ways: Ways; scene: boolean; frames: [number, number] | null }) {
  const change = (to: Partial<Ways>) => {
    useOffer.setState({ ways: { ...ways, ...to } });
    void look();
  };
  const kinds = [
    { value: "clones", label: "Clones" },
    { value: "parts", label: "Parts of one mesh" },
  ] as const;
  return (
    <div className="grid grid-cols-[auto_1fr] items-center gap-x-3 text-soft">
      {scene && (
        <>
          Meshes that stand there many times
          <span className="text-ink">
            <Choice label="Repeated meshes become" plain value={ways.repeated} options={[...kinds]} onChange={(repeated) => change({ repeated })} />
          </span>
        </>
      )}
      Copies of one name and shape
      <span className="text-ink">
        <Choice label="Copies become" plain value={ways.copies} options={[...kinds]} onChange={(copies) => change({ copies })} />
      </span>
      {scene && (
        <>
          An element of clones is
          <span className="text-ink">
            <Choice
              label="An element of clones is"
              plain
              value={ways.each}
              options={[
                { value: "copy", label: "Each copy" },
                { value: "part", label: "Each part of each copy" },
              ]}
              onChange={(each) => change({ each })}
            />
          </span>
        </>
      )}
      {frames && (
        <>
          Moving things are taken at
          <span className="text-ink">
            <NumberField label="Frame" value={ways.frame ?? frames[0]} min={frames[0]} max={frames[1]} step={1} width="w-[72px]" onCommit={(frame) => change({ frame })} />
          </span>
        </>
      )}
    </div>
  );
}

export function ImportDialog() {
  const { file, upload, preview, wanted, looked, ways, sentence, place, busy, words, share } = useOffer();
  const thing = preview?.things[looked];
  return (
    <Modal open={file !== null} onClose={close} className="w-[560px] p-5">
      <DialogTitle className="truncate text-[15px] font-semibold">{file?.name}</DialogTitle>
      {busy && (
        <div role="status">
          <span className="tabular">{words ? `${words[0]!.toUpperCase()}${words.slice(1)}…` : "Waiting…"}</span>
          <progress className="mt-1.5 block h-1.5 w-full" aria-label="How far it is" value={share} />
        </div>
      )}
      {sentence && (
        <div role="alert" className="rounded-lg border-2 border-ink p-3">
          <p>{sentence}</p>
          {place && <p className="mt-1 text-[11px] text-soft">{place}</p>}
        </div>
      )}
      {preview && preview.things.length > 1 && <Things things={preview.things} />}
      {preview && file && MESHES.test(file.name) && <HowToRead ways={ways} scene={SCENES.test(file.name)} frames={preview.things.find((t) => t.frames)?.frames ?? null} />}
      {thing?.picture && <Arriving thing={thing} ways={ways} />}
      {thing && <Carried thing={thing} />}
      <div className="flex justify-end gap-2 pt-1">
        {file && preview && thing?.frames && thing.frames[1] > thing.frames[0] && (
          <Button className="mr-auto" disabled={busy || !upload} onClick={() => acceptFrames(thing.frames!)}>
            Add all frames
          </Button>
        )}
        <Button onClick={close}>Cancel</Button>
        <Button strong disabled={!preview || busy || wanted.length === 0} onClick={() => void accept()}>
          {preview && preview.things.length > 1 ? `Add ${wanted.length} to the scene` : "Add to the scene"}
        </Button>
      </div>
    </Modal>
  );
}
