/** A number: typed (with arithmetic), stepped by arrow keys, dragged sideways by its label. */
import { useEffect, useState } from "react";
import { calculated } from "./arithmetic";
import { keyMove, useDrag } from "./interactive";

interface Props {
  label: string;
  value: number;
  /** While it changes. */
  onDraft?: (value: number) => void;
  /** When it is settled. */
  onCommit: (value: number) => void;
  min?: number;
  max?: number;
  step?: number;
  digits?: number;
  unit?: string;
  whole?: boolean;
  width?: string;
  hideLabel?: boolean;
  onPaste?: (event: React.ClipboardEvent) => void;
}

const said = (n: number) => n.toLocaleString("en-GB", { maximumSignificantDigits: 12 });

export function NumberField(props: Props) {
  const { label, value, onDraft, onCommit, min = -Infinity, max = Infinity, unit, whole, width = "w-16" } = props;
  const step = props.step ?? (whole ? 1 : 0.01);
  const digits = props.digits ?? (whole ? 0 : 3);
  const shown = whole ? String(Math.round(value)) : String(Number(value.toFixed(digits)));
  const [text, setText] = useState<string | null>(null);
  const [wrong, setWrong] = useState("");
  const [note, setNote] = useState("");
  useEffect(() => {
    if (!note) return;
    const later = setTimeout(() => setNote(""), 5000);
    return () => clearTimeout(later);
  }, [note]);
  const drag = useDrag<{ x: number; from: number; now: number }>({
    move: (held, event) => {
      if (Math.abs(event.clientX - held.x) < 2) return held;
      const now = limited(held.from + Math.round((event.clientX - held.x) / 2) * step);
      if (now === held.now) return held;
      onDraft?.(now);
      return { ...held, now };
    },
    end: ({ now }, moved) => moved && onCommit(now),
  });

  const limited = (v: number) => {
    const held = Math.min(max, Math.max(min, v));
    return whole ? Math.round(held) : Number(held.toPrecision(12));
  };

  function settle() {
    if (text === null) return;
    const typed = calculated(text.trim().replace(/[%°]$/, ""), whole);
    if (typed === null) {
      setWrong(text.trim() === "" ? "Type a number, or Escape for the one before." : `${text} is no number.`);
      return;
    }
    const to = limited(typed);
    setText(null);
    setWrong("");
    setNote(to > typed && to === min ? `${said(min)} is the least here.` : to < typed && to === max ? `${said(max)} is the most here.` : whole && to !== typed ? `Rounded to ${said(to)}.` : "");
    if (to !== value) onCommit(to);
  }

  function keys(event: React.KeyboardEvent) {
    if (event.key === "Enter") settle();
    else if (event.key === "Escape") {
      setText(null);
      setWrong("");
    } else if (event.key === "ArrowUp" || event.key === "ArrowDown") {
      setText(null);
      onCommit(limited(value + step * keyMove(event)!.y));
    }
  }

  return (
    <label className="inline-flex items-center gap-1.5">
      {!props.hideLabel && (
        <span
          className="cursor-ew-resize touch-none text-soft select-none"
          title="Drag to change"
          {...drag((e) => ({ x: e.clientX, from: value, now: value }))}
        >
          {label}
        </span>
      )}
      <span className="relative inline-flex">
        <input
          className={`field ${width} ${unit ? "pr-5" : ""}`}
          aria-label={unit ? `${label}, ${unit === "°" ? "degrees" : unit}` : label}
          aria-invalid={wrong !== ""}
          inputMode="decimal"
          value={text ?? shown}
          onChange={(e) => {
            setText(e.target.value);
            setNote("");
          }}
          onFocus={(e) => e.target.select()}
          onPaste={props.onPaste}
          onBlur={settle}
          onKeyDown={keys}
        />
        {unit && <span className="pointer-events-none absolute top-1/2 right-1.5 -translate-y-1/2 text-[11px] text-soft">{unit}</span>}
        {(wrong || note) && (
          <span role={wrong ? "alert" : "status"} className="panel pointer-events-none absolute top-full left-0 z-30 mt-0.5 border-ink! px-1.5 py-0.5 text-[11px] whitespace-nowrap text-ink shadow-md">
            {wrong || note}
          </span>
        )}
      </span>
    </label>
  );
}
