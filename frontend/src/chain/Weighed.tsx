/** Things of which each element has one, with their shares: counted on the real elements, and typed where a share chooses. */
import { ArrowDown, ArrowUp, Trash2 } from "lucide-react";
import type { ReactNode } from "react";
import { json, type Lane } from "../api/client";
import { useStore } from "../state/store";
import { IconButton } from "../widgets/Button";
import { ShareField } from "../widgets/ShareField";
import { percent, withShare } from "../widgets/shares";

interface Props {
  of: "shape" | "finish";
  names: string[];
  lane: Lane;
  open: number;
  onOpen: (k: number) => void;
  onWeights: (weights: number[], label: string) => void;
  onRemove: (k: number) => void;
  onMove: (from: number, to: number) => void;
  /** Stands before a name. */
  before?: (k: number) => ReactNode;
  children: ReactNode;
}

/** The weights by which so many of the elements have each. */
async function weightsFor(of: Props["of"], shares: number[]): Promise<number[]> {
  const { scene, chosen, frame } = useStore.getState();
  const answer = await json<{ weights: number[] }>("POST", "/material-shares", { scene, population: chosen, of, shares, frame });
  return answer.weights;
}

export function Weighed({ of, names, lane, open, onOpen, onWeights, onRemove, onMove, before, children }: Props) {
  const counts = useStore((s) => s.results[s.chosen]?.shares[of]);
  const several = names.length > 1;
  const total = counts?.reduce((a, b) => a + b, 0) ?? 0;
  const typed = several && (lane.layers.length === 0 || !lane.enabled || lane.choose === "share");
  return (
    <ol aria-label={of === "shape" ? "Shapes" : "Finishes"} className="flex flex-col gap-1">
      {names.map((name, k) => (
        <li key={k} className={`panel ${k === open ? "border-2 border-ink" : "m-px"}`}>
          <div className="flex h-8 items-center gap-1 pr-1 pl-2">
            {before?.(k)}
            <button type="button" aria-pressed={k === open} className="min-w-0 grow cursor-pointer truncate text-left text-[13px] font-semibold" onClick={() => onOpen(k)}>
              {name}
            </button>
            {several && counts && typed && (
              <ShareField
                label={`Share of ${name}`}
                share={(counts[k] ?? 0) / Math.max(total, 1)}
                onCommit={(share) => void weightsFor(of, withShare(counts, k, share)).then((weights) => onWeights(weights, `Set the share of ${name}`))}
              />
            )}
            {several && counts && !typed && <span className="text-soft tabular">{percent(counts[k] ?? 0, total)}</span>}
            {k === open && several && (
              <>
                <IconButton label={`Move ${name} up`} disabled={k === 0} onClick={() => onMove(k, k - 1)}>
                  <ArrowUp size={12} />
                </IconButton>
                <IconButton label={`Move ${name} down`} disabled={k === names.length - 1} onClick={() => onMove(k, k + 1)}>
                  <ArrowDown size={12} />
                </IconButton>
              </>
            )}
            <IconButton label={`Remove ${name}`} onClick={() => onRemove(k)}>
              <Trash2 size={12} />
            </IconButton>
          </div>
          {k === open && <div className="border-t border-line p-2">{children}</div>}
        </li>
      ))}
    </ol>
  );
}
