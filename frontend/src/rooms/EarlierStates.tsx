/** The scene's earlier states with what made them, those of other branches too; any of them can be shown again. */
import { DialogTitle } from "@headlessui/react";
import { X } from "lucide-react";
import { create } from "zustand";
import type { EarlierState } from "../api/client";
import { earlierStates, showState } from "../state/store";
import { IconButton } from "../widgets/Button";
import { Modal } from "../widgets/Modal";

interface State {
  open: boolean;
  states: EarlierState[];
  sentence: string;
}

const useStates = create<State>(() => ({ open: false, states: [], sentence: "" }));

export async function openStates() {
  useStates.setState({ open: true, states: [], sentence: "" });
  try {
    useStates.setState({ states: await earlierStates() });
  } catch (error) {
    useStates.setState({ sentence: (error as Error).message });
  }
}

const WHEN = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit", second: "2-digit" });

/** The states that undo and redo reach from the one shown. */
function line(states: EarlierState[]): Set<number> {
  const parents = new Map(states.map((s) => [s.revision, s.parent]));
  const shown = states.find((s) => s.shown)?.revision;
  const found = new Set<number>();
  for (let at: number | null | undefined = shown; at != null && !found.has(at); at = parents.get(at)) found.add(at);
  // Redo takes the newest child; the list has the newest first.
  for (let next = states.find((s) => s.parent === shown); next; ) {
    found.add(next.revision);
    const { revision } = next;
    next = states.find((s) => s.parent === revision);
  }
  return found;
}

const close = () => useStates.setState({ open: false });

export function EarlierStates() {
  const { open, states, sentence } = useStates();
  const reached = line(states);
  return (
    <Modal open={open} onClose={close} className="w-[520px] p-4">
      <div className="flex items-center">
        <DialogTitle className="grow text-[15px] font-semibold">Earlier states</DialogTitle>
        <IconButton label="Close the earlier states" onClick={close}>
          <X size={15} />
        </IconButton>
      </div>
      <p className="text-soft">The last 500 states are kept, and all of the last 30 days. What undo does not reach lies on another branch; it is marked with a dashed edge.</p>
      {sentence && <p role="alert">{sentence}</p>}
      <ol aria-label="Earlier states" className="flex max-h-[440px] flex-col gap-1 overflow-y-auto p-px">
        {states.map((s) => (
          <li key={s.revision}>
            <button
              type="button"
              aria-current={s.shown ? "true" : undefined}
              className={`panel flex h-8 w-full cursor-pointer items-center gap-3 px-3 text-left hover:border-ink ${s.shown ? "outline-2 -outline-offset-2 outline-ink" : ""} ${reached.has(s.revision) ? "" : "border-strong border-dashed"}`}
              onClick={() => {
                close();
                if (!s.shown) void showState(s.revision);
              }}
            >
              <time className="w-[118px] flex-none text-soft tabular" dateTime={s.made}>
                {WHEN.format(new Date(s.made))}
              </time>
              <span className={`grow truncate ${s.shown ? "font-semibold" : ""}`}>{s.label}</span>
              {s.shown ? <span className="flex-none text-soft">shown</span> : !reached.has(s.revision) && <span className="flex-none text-soft">other branch</span>}
            </button>
          </li>
        ))}
      </ol>
    </Modal>
  );
}
