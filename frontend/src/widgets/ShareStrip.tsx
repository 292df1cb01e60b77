/** The finished population's colours by share; pointing at one singles out its elements. */
import { Lock, LockOpen } from "lucide-react";
import { useState } from "react";
import type { EvaluationHeader, Step } from "../api/client";
import { at, isRamp, withAt } from "../state/edits";
import { chosenLook, editLook, isolate, useStore } from "../state/store";
import { setShares } from "../state/ramps";
import type { Weigh } from "../api/evaluator";
import { Button } from "./Button";
import { Choice } from "./Choice";
import { ShareField } from "./ShareField";
import { focusOn } from "./focus";
import { percent, textOn, withShare } from "./shares";
import { whenPointedAt } from "./pointing";

/** A thin strip for lists. */
export function ThinStrip({ result, height = 8 }: { result: EvaluationHeader | undefined; height?: number }) {
  const total = result?.count ?? 0;
  return (
    <div aria-hidden data-shares={result?.groups.counts.join(" ") ?? ""} className="flex overflow-hidden rounded-[3px] bg-well" style={{ height }}>
      {result?.groups.counts.map((count, k) => (
        <span key={k} style={{ width: `${(100 * count) / total}%`, background: result.groups.colours[k] ?? "none" }} />
      ))}
    </div>
  );
}

const WEIGHS: { value: Weigh; label: string }[] = [
  { value: "count", label: "by count" },
  { value: "size", label: "by size" },
  { value: "opacity", label: "by opacity" },
  { value: "density", label: "by density" },
];

export function ShareStrip({ result, settable }: { result: EvaluationHeader | undefined; settable: boolean }) {
  const [typing, setTyping] = useState(false);
  /** What was typed in this sitting, by the number of the colour. */
  const [typed, setTyped] = useState<ReadonlyMap<number, number>>(new Map());
  const weigh = useStore((s) => s.weigh);
  const kind = useStore((s) => s.geometry[s.chosen]?.header.kind);
  const channels = useStore((s) => s.channels);
  /** Whether the chosen population has the channel that is weighed by. */
  const fits = (by: string) => {
    const kinds = channels.find(({ name }) => name === by)?.populations ?? [];
    return kinds.length === 0 || kinds.includes(kind ?? "clones");
  };
  const counts = result?.groups.counts ?? [];
  const count = result?.count ?? 0;
  const parts = result?.groups.weighed ?? counts;
  const total = parts.reduce((a, b) => a + b, 0);
  const place = result?.groups.place ?? null;
  // What is typed are parts of the number of elements.
  const open = typing && settable && place !== null && weigh === "count";
  const look = useStore(chosenLook);
  const step = place ? (at(look, place) as Step | undefined) : undefined;
  const items = isRamp(step) ? step.stops : step?.step === "palette" ? step.swatches : [];
  const locked = items.map((s) => s.locked);
  const field = isRamp(step) ? "stops" : "swatches";
  function type(k: number, share: number) {
    const before = new Map(typed);
    before.delete(k);
    const shares = withShare(counts, k, share, locked, before);
    // Where the others leave less room, so much was taken.
    setTyped(new Map([...before, [k, shares[k]!]]));
    void setShares(place!, shares);
  }
  /** Several at once, from one colour on; what is left goes to the others. */
  function several(first: number, shares: number[]) {
    const taken = shares.slice(0, counts.length - first);
    const sum = taken.reduce((a, b) => a + b, 0);
    const scale = sum > 1 || first + taken.length === counts.length && first === 0 ? 1 / (sum || 1) : 1;
    const all = new Map(taken.map((share, i) => [first + i, share * scale] as const));
    const last = first + taken.length - 1;
    const rest = new Map([...typed, ...all]);
    rest.delete(last);
    setTyped(new Map([...rest, [last, all.get(last)!]]));
    void setShares(place!, withShare(counts, last, all.get(last)!, locked, rest));
  }
  return (
    <footer className="flex h-full items-center gap-3 border-t border-line bg-panel px-3">
      <div className="w-[104px] flex-none text-xs leading-tight whitespace-nowrap text-soft">
        Share of <span className="text-ink tabular">{count.toLocaleString("en-GB")}</span>
        <br />
        <span className="-ml-1 text-ink [&_button]:h-4.5">
          <Choice label="Shares measured" plain value={weigh} options={WEIGHS.filter((w) => w.value === "count" || fits(w.value))} onChange={(value) => useStore.setState({ weigh: value })} />
        </span>
      </div>
      <ul className="flex h-8 min-w-0 grow overflow-hidden rounded-md bg-well" onPointerLeave={() => isolate(null)} aria-label="Shares">
        {counts.map((count, k) => {
          const colour = result?.groups.colours[k] ?? null;
          const share = total > 0 ? parts[k]! / total : 0;
          return (
            <li
              key={k}
              className="relative flex min-w-0 items-center overflow-hidden text-[11.5px] font-semibold tabular"
              style={{
                flex: open ? `${Math.max(share, 0.001)} 1 ${92}px` : `${share} 1 0`,
                background: colour ?? "var(--well)",
                color: colour ? textOn(colour) : "var(--ink)",
              }}
              {...whenPointedAt(() => isolate(k))}
            >
              {open ? (
                <span className="flex items-center px-1">
                  <ShareField label={`Share of colour ${k + 1}`} share={share} onCommit={(to) => type(k, to)} onSeveral={(shares) => several(k, shares)} />
                  <button
                    type="button"
                    className="grid size-5 flex-none cursor-pointer place-items-center rounded"
                    aria-pressed={locked[k] ?? false}
                    aria-label={locked[k] ? `Unlock the share of colour ${k + 1}` : `Lock the share of colour ${k + 1}`}
                    tabIndex={-1}
                    onClick={() => editLook(locked[k] ? "Unlock a share" : "Lock a share", (l) => withAt(l, `${place}.${field}[${k}].locked`, !locked[k]))}
                  >
                    {locked[k] ? <Lock size={11} aria-hidden /> : <LockOpen size={11} aria-hidden />}
                  </button>
                </span>
              ) : (
                <button
                  type="button"
                  className="h-full w-full min-w-0 cursor-default truncate px-2 text-left"
                  aria-label={`${colour ?? "no elements"}, ${count.toLocaleString("en-GB")} elements, ${percent(parts[k]!, total)}: single out`}
                  title={`${colour ?? ""} · ${count.toLocaleString("en-GB")} elements`}
                  onFocus={() => isolate(k)}
                  onBlur={() => isolate(null)}
                >
                  {share > 0.035 ? percent(parts[k]!, total) : ""}
                </button>
              )}
            </li>
          );
        })}
      </ul>
      <Button
        aria-pressed={open}
        strong={open}
        disabled={!settable || weigh !== "count"}
        title={settable && weigh === "count" ? undefined : "Shares can be set for a stepped ramp or a palette, measured by count"}
        onClick={() => {
          setTyping(!typing);
          setTyped(new Map());
          if (!open) focusOn('footer li input');
        }}
        className="w-[92px]"
      >
        {open ? "Done" : "Set shares…"}
      </Button>
    </footer>
  );
}
