/** Which part of a colour or vector is read: all side by side, so that their distributions can be compared. */
import type { Component, Histogram } from "../api/client";
import { Bars } from "../widgets/Distribution";
import { PARTS } from "./steps/words";

interface Props {
  part: Component["part"];
  parts: Record<string, Histogram>;
  onChoose: (part: Component["part"]) => void;
}

export function PartChoice({ part, parts, onChoose }: Props) {
  return (
    <div role="group" aria-label="Part" className="grid grid-cols-4 gap-1">
      {(Object.entries(parts) as [Component["part"], Histogram][]).map(([name, of]) => (
        <button
          key={name}
          type="button"
          aria-pressed={name === part}
          aria-label={PARTS[name]}
          className={`cursor-pointer rounded-md px-1.5 pt-0.5 pb-1 text-left ${name === part ? "outline-2 outline-ink" : "bg-well hover:outline hover:outline-ink"}`}
          onClick={() => onChoose(name)}
        >
          <span className={`block truncate text-[11px] ${name === part ? "font-semibold" : "text-soft"}`}>{PARTS[name]}</span>
          <Bars of={of} height={16} label={`Values of ${PARTS[name]}`} />
        </button>
      ))}
    </div>
  );
}
