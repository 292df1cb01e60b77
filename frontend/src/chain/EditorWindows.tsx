/** Ramps and curves in large windows of their own, several at once: moved by their bar, with the mouse or arrow keys. */
import { X } from "lucide-react";
import { create } from "zustand";
import type { Step } from "../api/client";
import { at, chainAt, withStep } from "../state/edits";
import { chooseChain, chosenLook, draftLook, editLook, useStore } from "../state/store";
import { IconButton } from "../widgets/Button";
import { keyMove, useDrag } from "../widgets/interactive";
import { pageOf, titleOf } from "./steps";
import { useSchema } from "./Parameters";

interface Open {
  population: string;
  chain: string;
  index: number;
  x: number;
  y: number;
}

const useWindows = create<{ open: Open[] }>(() => ({ open: [] }));
const WIDTH = 620;

const sameWindow = (a: Open, b: Open) => a.population === b.population && a.chain === b.chain && a.index === b.index;

/** Open a step's editor in a window; one that is open comes to the front. */
export function openWindow(chain: string, index: number) {
  const population = useStore.getState().chosen;
  const { open } = useWindows.getState();
  const fresh = { population, chain, index, x: 60 + 28 * open.length, y: 96 + 28 * open.length };
  const before = open.find((w) => sameWindow(w, fresh));
  useWindows.setState({ open: [...open.filter((w) => w !== before), before ?? fresh] });
}

export function EditorWindows() {
  const open = useWindows((s) => s.open);
  const chosen = useStore((s) => s.chosen);
  return open.filter((w) => w.population === chosen).map((w) => <Window key={`${w.population} ${w.chain} ${w.index}`} of={w} />);
}

function Window({ of }: { of: Open }) {
  const { chain, index } = of;
  const look = useStore(chosenLook);
  const place = `${chain}[${index}]`;
  const step = look ? (at(look, place) as Step | undefined) : undefined;
  const set = (to: Partial<Open>) => useWindows.setState(({ open }) => ({ open: open.map((w) => (sameWindow(w, of) ? { ...w, ...to } : w)) }));
  const close = () => useWindows.setState(({ open }) => ({ open: open.filter((w) => !sameWindow(w, of)) }));
  const within = (x: number, y: number) => ({ x: Math.min(Math.max(x, 0), innerWidth - 120), y: Math.min(Math.max(y, 0), innerHeight - 40) });
  const drag = useDrag<{ x: number; y: number; from: { x: number; y: number } }>({
    move: (held, event) => {
      set(within(held.from.x + event.clientX - held.x, held.from.y + event.clientY - held.y));
      return { ...held };
    },
  });
  if (!step || !look || !chainAt(look, chain) || !pageOf(step.step).Editor) return null;
  const title = titleOf(step.step);
  return (
    <section
      aria-label={`${title} in a window`}
      className="panel fixed z-30 flex flex-col border-2 border-ink shadow-2xl"
      style={{ left: of.x, top: of.y, width: WIDTH }}
      onPointerDownCapture={() => {
        // What is done in a window is done to its chain.
        if (useStore.getState().chain !== chain) chooseChain(chain, index);
      }}
    >
      <div className="flex h-8 items-center gap-2 border-b border-line pr-1 pl-3">
        <button
          type="button"
          aria-label={`Move the window of ${title}`}
          title="Drag, or move with the arrow keys"
          className="grow cursor-move touch-none truncate text-left font-semibold"
          {...drag((e) => ({ x: e.clientX, y: e.clientY, from: { x: of.x, y: of.y } }))}
          onKeyDown={(e) => {
            const by = keyMove(e);
            if (by) set(within(of.x + 8 * by.x, of.y - 8 * by.y));
          }}
        >
          {title}
        </button>
        <IconButton label={`Close the window of ${title}`} onClick={close}>
          <X size={14} />
        </IconButton>
      </div>
      <div className="p-3">
        <Editor step={step} chain={chain} index={index} place={place} />
      </div>
    </section>
  );
}

function Editor({ step, chain, index, place }: { step: Step; chain: string; index: number; place: string }) {
  const census = useStore((s) => s.results[s.chosen]?.steps[place]);
  const trace = useStore((s) => s.results[s.chosen]?.trace?.steps.find((t) => t.place === place));
  const schema = useSchema(step);
  const own = pageOf(step.step);
  if (!own.Editor) return null;
  return (
    <own.Editor
      step={step}
      place={place}
      index={index}
      open
      census={census}
      trace={trace}
      schema={schema}
      onDraft={(s) => draftLook((l) => withStep(l, chain, index, s))}
      onCommit={(s, label) => editLook(label, (l) => withStep(l, chain, index, s))}
    />
  );
}
