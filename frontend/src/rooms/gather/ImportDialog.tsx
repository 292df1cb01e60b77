/** A file's preview before anything is stored: what was recognised, what was derived. */
import { DialogTitle } from "@headlessui/react";
import { useEffect, useState } from "react";
import { create } from "zustand";
import { type AttributeCensus, type ImportAnswer, type ImportPreview, type Refused, upload } from "../../api/client";
import { offerPicture } from "../../library/PictureDialog";
import { addPopulation, useStore } from "../../state/store";
import { Button } from "../../widgets/Button";
import { Bars } from "../../widgets/Distribution";
import { Modal } from "../../widgets/Modal";
import { population } from "./fresh";

interface Offer {
  file: File | null;
  preview: ImportPreview | null;
  sentence: string;
  place: string;
  busy: boolean;
  /** The part of the file that has been sent, 0..1. */
  sent: number;
}

const nothing: Offer = { file: null, preview: null, sentence: "", place: "", busy: false, sent: 0 };
const useOffer = create<Offer>(() => nothing);
let stopper = new AbortController();

/** Send the file; what is refused is told in the dialogue, what was stopped is not. */
async function sending<T>(path: string, file: File): Promise<T | null> {
  stopper.abort();
  stopper = new AbortController();
  const mine = stopper;
  useOffer.setState({ busy: true, sent: 0, sentence: "", place: "" });
  try {
    return await upload<T>(path, file, (sent) => useOffer.setState({ sent }), mine.signal);
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

export async function offerFile(file: File) {
  useOffer.setState({ ...nothing, file });
  const preview = await sending<ImportPreview>("/imports/preview", file);
  if (preview && useOffer.getState().file === file) useOffer.setState({ preview });
}

function close() {
  stopper.abort();
  useOffer.setState(nothing);
}

async function accept() {
  const { file } = useOffer.getState();
  const { scene } = useStore.getState();
  if (!file || !scene) return;
  const answer = await sending<ImportAnswer>("/imports", file);
  if (!answer) return;
  const name = file.name.replace(/\.[^.]+$/, "").slice(0, 100) || "Imported";
  addPopulation(population(scene, name, answer.maker, "ball"));
  useOffer.setState(nothing);
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
      const file = e.dataTransfer?.files[0];
      if (file?.type.startsWith("image/")) offerPicture(file);
      else if (file) void offerFile(file);
    };
    const listeners = { dragenter: drag, dragover: drag, dragleave: drag, drop } as const;
    for (const [name, run] of Object.entries(listeners)) window.addEventListener(name as "drop", run);
    return () => {
      for (const [name, run] of Object.entries(listeners)) window.removeEventListener(name as "drop", run);
    };
  }, []);
  if (!over) return null;
  return (
    <div className="pointer-events-none fixed inset-3 z-50 grid place-items-center rounded-xl border-2 border-dashed border-ink bg-panel/80 text-base font-semibold">
      Drop a PLY or CSV file to see what it holds, or a picture for its palette
    </div>
  );
}

export function ImportDialog() {
  const { file, preview, sentence, place, busy, sent } = useOffer();
  return (
    <Modal open={file !== null} onClose={close} className="w-[560px] p-5">
      <DialogTitle className="truncate text-[15px] font-semibold">{file?.name}</DialogTitle>
      {busy && (
        <div role="status">
          {sent < 1 ? "Sending…" : preview ? "Storing…" : "Reading…"}
          <progress className="mt-1.5 block h-1.5 w-full accent-ink" aria-label="Sent" value={sent < 1 ? sent : undefined} />
        </div>
      )}
      {sentence && (
        <div role="alert" className="rounded-lg border-2 border-ink p-3">
          <p>{sentence}</p>
          {place && <p className="mt-1 text-[11px] text-soft">{place}</p>}
        </div>
      )}
      {preview && (
        <>
          <p className="text-soft">
            <span className="font-semibold text-ink tabular">{preview.count.toLocaleString("en-GB")}</span> elements with{" "}
            {preview.attributes.length} attributes. Nothing is stored until you add them.
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
                {(preview.attributes as unknown as AttributeCensus[]).map((a) => (
                  <tr key={a.name}>
                    <td className="font-medium">{a.name}</td>
                    <td className="text-soft">
                      {a.kind}
                      {a.width > 1 ? ` of ${a.width}` : ""}
                      {a.derived ? ", derived" : ""}
                      {a.unreadable ? `, ${a.unreadable} missing` : ""}
                    </td>
                    <td>
                      {a.census ? <Bars of={a.census} height={16} label={`Distribution of ${a.name}`} /> : `${a.texts} texts`}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
          {preview.notes.length > 0 && (
            <ul className="list-disc pl-4 text-soft">
              {preview.notes.map((note) => (
                <li key={note}>{note}</li>
              ))}
            </ul>
          )}
        </>
      )}
      <div className="flex justify-end gap-2 pt-1">
        <Button onClick={close}>Cancel</Button>
        <Button strong disabled={!preview || busy} onClick={() => void accept()}>
          Add to the scene
        </Button>
      </div>
    </Modal>
  );
}
