/** A palette from a picture: how many colours, what share each has; a click takes one colour. */
import { DialogTitle } from "@headlessui/react";
import { useEffect, useRef, useState } from "react";
import { create } from "zustand";
import { type Palette, type PaletteAnswer, type Step, type Swatch, upload } from "../api/client";
import { fresh } from "../chain/steps";
import { chainAt, withChain } from "../state/edits";
import { chooseStep, chosenLook, editLook, takePicture, useStore } from "../state/store";
import { Button } from "../widgets/Button";
import { FileButton } from "../widgets/FileButton";
import { Modal } from "../widgets/Modal";
import { hexFromBytes } from "../widgets/bytes";
import { NumberField } from "../widgets/NumberField";
import { percent, textOn } from "../widgets/shares";

/** A swatch that follows nothing. */
type Found = Swatch & { colour: string; weight: number };

interface State {
  open: boolean;
  file: File | null;
}

/** A place of the picture, in parts of its width and height. */
interface Aim {
  x: number;
  y: number;
}

const CENTRE: Aim = { x: 0.5, y: 0.5 };

export const usePicture = create<State>(() => ({ open: false, file: null }));

export function offerPicture(file: File) {
  usePicture.setState({ open: true, file });
}

/** Put swatches where the chain's colours are chosen: into its palette, in place of its ramp, or at its end. */
function use(name: string, swatches: Swatch[]) {
  const state = useStore.getState();
  const look = chosenLook(state);
  const steps = look ? chainAt(look, state.chain) : null;
  if (!steps) return;
  const open = state.step !== null && steps[state.step]?.step === "palette" ? state.step : -1;
  const palette = open >= 0 ? open : steps.findIndex((s) => s.step === "palette");
  const ramp = steps.findLastIndex((s) => s.step === "ramp");
  const at = palette >= 0 ? palette : ramp >= 0 ? ramp : steps.length;
  const before = (palette >= 0 ? steps[palette] : fresh("palette")) as Palette;
  const step: Step = { ...before, name, swatches, columns: Math.min(8, swatches.length) };
  editLook(`Palette from ${name}`, (l) => withChain(l, state.chain, (all) => all.toSpliced(at, at < steps.length ? 1 : 0, step)));
  chooseStep(at);
}

export function PictureDialog() {
  const { open, file } = usePicture();
  const [count, setCount] = useState(8);
  const [found, setFound] = useState<Found[]>([]);
  const [taken, setTaken] = useState<Found[]>([]);
  const [busy, setBusy] = useState(false);
  const [sentence, setSentence] = useState("");
  const close = () => usePicture.setState({ open: false, file: null });

  useEffect(() => {
    setTaken([]);
    if (!open) setFound([]);
  }, [file, open]);

  useEffect(() => {
    if (!file || !open) return;
    const stopper = new AbortController();
    setBusy(true);
    setSentence("");
    upload<PaletteAnswer>(`/palettes/picture?count=${count}`, file, () => undefined, stopper.signal)
      .then((answer) => setFound(answer.swatches as Found[]))
      .catch((error: Error) => !stopper.signal.aborted && (setFound([]), setSentence(error.message)))
      .finally(() => !stopper.signal.aborted && setBusy(false));
    return () => stopper.abort();
  }, [file, count, open]);

  const all = [...found, ...taken].slice(0, 256);
  const weight = all.reduce((sum, s) => sum + s.weight, 0);
  const name = (file?.name ?? "picture").replace(/\.[^.]+$/, "").slice(0, 100) || "picture";
  return (
    <Modal open={open} onClose={close} className="w-[600px] p-4">
      <div className="flex items-center gap-3">
        <DialogTitle className="min-w-0 grow truncate text-[15px] font-semibold">{file ? file.name : "A palette from a picture"}</DialogTitle>
        <FileButton label={file ? "Another…" : "Choose a picture…"} name="Picture file" accept="image/png,image/jpeg,image/webp,image/gif" onFile={offerPicture} />
      </div>
      {file && (
        <>
          <Picture file={file} onTake={(colour) => setTaken((before) => [...before, { colour, weight: 0.05, locked: false }])} />
          <div className="flex items-center gap-3">
            <NumberField label="Colours" whole min={2} max={64} width="w-[60px]" value={count} onCommit={setCount} />
            <span role="status" className="text-soft">
              {busy ? "Looking…" : `${found.length} found${taken.length ? `, ${taken.length} taken` : ""}`}
            </span>
          </div>
          <ul className="flex h-9 overflow-hidden rounded-md" aria-label="Colours of the picture">
            {all.map((s, k) => (
              <li key={k} aria-label={`${s.colour}, ${percent(s.weight, weight)}`} title={`${s.colour}, ${percent(s.weight, weight)}`} className="grid min-w-0 place-items-center overflow-hidden text-[11px] font-semibold tabular" style={{ background: s.colour, color: textOn(s.colour), flex: `${s.weight} 1 6px` }}>
                {s.weight / weight > 0.075 && `${Math.round((100 * s.weight) / weight)}%`}
              </li>
            ))}
          </ul>
        </>
      )}
      {sentence && <p role="alert">{sentence}</p>}
      <div className="flex justify-end gap-2">
        {file && (
          <Button
            className="mr-auto"
            onClick={() => {
              void takePicture(file);
              close();
            }}
          >
            Add to the scene's pictures
          </Button>
        )}
        <Button onClick={close}>Cancel</Button>
        <Button
          strong
          disabled={all.length === 0 || busy}
          onClick={() => {
            use(name, all);
            close();
          }}
        >
          Use as palette
        </Button>
      </div>
    </Modal>
  );
}

/** The picture, small; a click, or Enter at the cross that the arrow keys move, takes the colour there. */
function Picture({ file, onTake }: { file: File; onTake: (colour: string) => void }) {
  const [aim, setAim] = useState<Aim | null>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  // The picture itself, small, so that a colour can be taken from it.
  useEffect(() => {
    let stale = false;
    void createImageBitmap(file)
      .then((bitmap) => {
        const to = canvas.current;
        if (stale || !to) return;
        const scale = Math.min(1, 560 / bitmap.width, 300 / bitmap.height);
        to.width = Math.max(1, Math.round(bitmap.width * scale));
        to.height = Math.max(1, Math.round(bitmap.height * scale));
        to.getContext("2d", { willReadFrequently: true })?.drawImage(bitmap, 0, 0, to.width, to.height);
      })
      .catch(() => undefined);
    return () => {
      stale = true;
    };
  }, [file]);

  /** The colour at a place of the picture, in parts of its width and height. */
  function take({ x, y }: Aim) {
    const from = canvas.current;
    const at = (part: number, size: number) => Math.min(size - 1, Math.floor(part * size));
    const rgb = from?.getContext("2d")?.getImageData(at(x, from.width), at(y, from.height), 1, 1).data;
    if (rgb) onTake(hexFromBytes(rgb));
  }

  function click(event: React.MouseEvent) {
    const box = event.currentTarget.getBoundingClientRect();
    take({ x: (event.clientX - box.left) / box.width, y: (event.clientY - box.top) / box.height });
  }

  function keys(event: React.KeyboardEvent) {
    const by = event.shiftKey ? 0.1 : 0.01;
    const [x = 0, y = 0] = { ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, -by], ArrowDown: [0, by] }[event.key] ?? [];
    const inside = (part: number) => Math.min(1, Math.max(0, part));
    const from = aim ?? CENTRE;
    if (x || y) setAim({ x: inside(from.x + x), y: inside(from.y + y) });
    else if (event.key === "Enter" || event.key === " ") take(from);
    else return;
    event.preventDefault();
  }

  return (
    <div className="grid place-items-center rounded-md bg-well p-2">
      {/* oxlint-disable-next-line jsx-a11y/no-noninteractive-element-interactions -- an application has its own keys */}
      <div
        role="application"
        // oxlint-disable-next-line jsx-a11y/no-noninteractive-tabindex
        tabIndex={0}
        aria-label="The picture. Click to take a colour, or move the cross with the arrow keys and press Enter"
        title="Click to take a colour"
        className="relative cursor-crosshair"
        onClick={click}
        onKeyDown={keys}
        onFocus={(e) => e.currentTarget.matches(":focus-visible") && setAim(aim ?? CENTRE)}
        onBlur={() => setAim(null)}
      >
        <canvas ref={canvas} className="block max-h-[300px] max-w-full" />
        {aim && (
          <span
            aria-hidden
            className="pointer-events-none absolute size-4 -translate-x-1/2 -translate-y-1/2 rounded-full border-2 border-white outline outline-black"
            style={{ left: `${aim.x * 100}%`, top: `${aim.y * 100}%` }}
          />
        )}
      </div>
    </div>
  );
}
