/** A number: typed (with arithmetic), stepped by arrow keys, dragged sideways by its label. */
import { useState } from "react";
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
}

export function NumberField(props: Props) {
  const { label, value, onDraft, onCommit, min = -Infinity, max = Infinity, unit, whole, width = "w-16" } = props;
  const step = props.step ?? (whole ? 1 : 0.01);
  const digits = props.digits ?? (whole ? 0 : 3);
  const shown = whole ? String(Math.round(value)) : String(Number(value.toFixed(digits)));
  const [text, setText] = useState<string | null>(null);
  const [wrong, setWrong] = useState("");
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
    const typed = calculated(text.trim().replace(/[%°]$/, ""));
    if (typed === null) {
      setWrong(`${text} is not a number.`);
      return;
    }
    setText(null);
    setWrong("");
    if (limited(typed) !== value) onCommit(limited(typed));
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
          title={wrong || undefined}
          inputMode="decimal"
          value={text ?? shown}
          onChange={(e) => setText(e.target.value)}
          onFocus={(e) => e.target.select()}
          onBlur={settle}
          onKeyDown={keys}
        />
        {unit && <span className="pointer-events-none absolute top-1/2 right-1.5 -translate-y-1/2 text-[11px] text-soft">{unit}</span>}
      </span>
    </label>
  );
}
