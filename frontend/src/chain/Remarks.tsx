/** What the core noticed, one line until it is opened: the sign, how many, the first words; then the reason and the fixes. */
import { DialogTitle } from "@headlessui/react";
import { ChevronDown, ChevronRight, TriangleAlert } from "lucide-react";
import { useId, useState } from "react";
import { create } from "zustand";
import type { Fix, PopulationDocument, Refused } from "../api/client";
import { type LookInScene, parsePlace, patched, withPopulation } from "../state/edits";
import { bringBack, leave, leftSentence, type Remark, whereOf } from "../state/remarks";
import { chooseChain, chosenPopulation, edit, editLook, editPopulation, NONE, useStore } from "../state/store";
import { Button } from "../widgets/Button";
import { Modal } from "../widgets/Modal";

/** The remarks of one place as a line. */
export function RemarkLine({ remarks, look, words }: { remarks: Remark[]; look: LookInScene; words?: string }) {
  const [open, setOpen] = useState(false);
  const id = useId();
  if (remarks.length === 0) return null;
  const Arrow = open ? ChevronDown : ChevronRight;
  return (
    <div className={open ? "rounded-lg border-2 border-ink bg-panel" : ""} role="group" aria-label={words ?? "Remarks"}>
      <button
        type="button"
        aria-expanded={open}
        aria-controls={id}
        className="flex h-6 w-full cursor-pointer items-center gap-1.5 rounded px-1.5 text-left hover:bg-well"
        onClick={() => setOpen(!open)}
      >
        <TriangleAlert size={13} className="flex-none" aria-hidden />
        <span className="flex-none font-semibold tabular">{words ? `${remarks.length} ${words}` : remarks.length === 1 ? "1 remark" : `${remarks.length} remarks`}</span>
        {!open && <span className="min-w-0 truncate text-soft">{remarks[0]!.sentence}</span>}
        <Arrow size={13} className="ml-auto flex-none text-soft" aria-hidden />
      </button>
      <ul id={id} hidden={!open} className="flex flex-col gap-2 px-2.5 pb-2.5">
        {open && remarks.map((remark) => <Told key={remark.code + remark.sentence} remark={remark} look={look} here={words === undefined} />)}
      </ul>
    </div>
  );
}

/** One remark: its sentence, where it applies, what can be done. */
function Told({ remark, look, here }: { remark: Remark; look: LookInScene; here: boolean }) {
  const channels = useStore((s) => s.channels);
  const elsewhere = remark.places.length > 1 || !here ? remark.places : [];
  return (
    <li className="pt-1.5 not-first:border-t not-first:border-line">
      <p>{remark.sentence}</p>
      <p className="mt-1.5 flex flex-wrap gap-1.5 empty:hidden">
        {elsewhere.map((place) => {
          const at = parsePlace(place);
          const where = whereOf(place, look, channels);
          return at && where ? (
            <Button key={place} className="h-6!" onClick={() => chooseChain(at.chain, at.step)}>
              Show {where}
            </Button>
          ) : null;
        })}
        {remark.fixes.map((fix, k) => (
          <FixButton key={fix.label} fix={fix} strong={k === 0} />
        ))}
        <Button className="h-6!" title="Told here no more; the channels' menu lists what is left" onClick={() => leave(remark)}>
          Leave it
        </Button>
      </p>
    </li>
  );
}

export function ErrorCard({ error }: { error: Refused }) {
  const at = parsePlace(error.place);
  return (
    <div role="alert" className="flex items-start gap-2.5 rounded-lg border-2 border-ink bg-panel px-3 py-2">
      <TriangleAlert size={16} className="mt-px flex-none" aria-hidden />
      <div className="min-w-0 grow">
        <p>{error.sentence}</p>
        <div className="mt-1.5 flex flex-wrap gap-2 empty:hidden">
          {at && (
            <Button className="h-6!" onClick={() => chooseChain(at.chain, at.step)}>
              Show
            </Button>
          )}
          {error.fix && <FixButton fix={error.fix} strong />}
        </div>
      </div>
    </div>
  );
}

function FixButton({ fix, strong }: { fix: Fix; strong: boolean }) {
  const more = useStore((s) => {
    const level = subdivisionOf(s.scene?.populations.find((p) => p.id === (fix.population || s.chosen)) ?? null);
    return level !== null && level < 4;
  });
  const apply = () => (fix.action === "subdivide" ? subdivide(fix) : fix.action === "more_points" ? morePoints(fix.label) : editLook(fix.label, (look) => patched(look, fix.operations)));
  return (
    <Button strong={strong} className="h-6!" disabled={fix.action === "subdivide" && !more} onClick={apply}>
      {fix.label}
    </Button>
  );
}

/** Twice the points that trails have in a frame. */
function morePoints(label: string) {
  editPopulation(label, (p) => (p.maker.maker === "trails" ? { ...p, maker: { ...p.maker, points: Math.min(16, 2 * p.maker.points) } } : p));
}

/** The subdivision of a mesh, where it is a number. */
function subdivisionOf(population: PopulationDocument | null): number | null {
  const maker = population?.maker;
  return maker && "subdivision" in maker && typeof maker.subdivision === "number" ? maker.subdivision : null;
}

/** Subdivide the chosen mesh, or the one that the fix names, once more, in the view too. */
function subdivide({ label, population }: Fix) {
  const on = population || useStore.getState().chosen;
  edit(label, (scene) => withPopulation(scene, on, (p) => {
    const level = (subdivisionOf(p) ?? 0) + 1;
    const most = p.draft.subdivision;
    return { ...p, maker: { ...p.maker, subdivision: level } as PopulationDocument["maker"], draft: { ...p.draft, subdivision: most === null ? null : Math.max(most, level) } };
  }));
}

const useMuted = create<{ open: boolean }>(() => ({ open: false }));

export function openMuted(open: boolean) {
  useMuted.setState({ open });
}

/** The remarks that are left as they are, each of which can be brought back. */
export function MutedRemarks({ look }: { look: LookInScene }) {
  const open = useMuted((s) => s.open);
  const muted = useStore((s) => chosenPopulation(s)?.muted ?? (NONE as PopulationDocument["muted"]));
  const advisories = useStore((s) => s.results[s.chosen]?.advisories ?? NONE);
  const channels = useStore((s) => s.channels);
  return (
    <Modal open={open} onClose={() => openMuted(false)} className="w-[480px] p-4">
      <DialogTitle className="text-[15px] font-semibold">Remarks left as they are</DialogTitle>
      <ul className="flex min-h-0 flex-col gap-2 overflow-y-auto" aria-label="Remarks left as they are">
        {muted.map((of) => (
          <li key={of.code + of.place} className="flex items-center gap-3 border-t border-line pt-2">
            <span className="min-w-0 grow">
              {leftSentence(advisories, of) ?? "It does not apply now."}
              <span className="block text-soft">{whereOf(of.place, look, channels)}</span>
            </span>
            <Button className="flex-none" onClick={() => bringBack(of)}>
              Bring it back
            </Button>
          </li>
        ))}
        {muted.length === 0 && <li className="text-soft">None.</li>}
      </ul>
      <Button className="self-end" onClick={() => openMuted(false)}>
        Close
      </Button>
    </Modal>
  );
}
