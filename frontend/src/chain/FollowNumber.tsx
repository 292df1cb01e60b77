/** A number that is typed, or follows a signal or a dial. */
import { NumberField } from "../widgets/NumberField";
import { FollowControl } from "./FollowControl";

interface Props<V> {
  title: string;
  how: "signal" | "dial" | "marker";
  value: V;
  /** What the field shows where that is not the value, and what a number that followed goes back to. */
  shown: number;
  /** What a typed change is called. */
  change: string;
  onDraft?: (value: V) => void;
  onCommit: (value: V, label: string) => void;
  min?: number;
  max?: number;
  step?: number;
  digits?: number;
  whole?: boolean;
  width?: string;
  hideLabel?: boolean;
  /** Kept as 0 to 1, shown in percent. */
  percent?: boolean;
  unit?: string;
}

export function FollowNumber<V>({ title, how, value, shown, change, onDraft, onCommit, percent, unit: own, min, max, ...rest }: Props<V>) {
  const factor = percent ? 100 : 1;
  const unit = percent ? "%" : own;
  return (
    <FollowControl
      title={title}
      how={how}
      value={value}
      most={max ?? Infinity}
      otherwise={shown}
      factor={factor}
      unit={unit}
      onDraft={(v) => onDraft?.(v as V)}
      onCommit={(v, label) => onCommit(v as V, label)}
    >
      <NumberField
        label={title}
        unit={unit}
        value={(typeof value === "number" ? value : shown) * factor}
        min={min === undefined ? undefined : min * factor}
        max={max === undefined ? undefined : max * factor}
        onDraft={onDraft && ((v) => onDraft((v / factor) as V))}
        onCommit={(v) => onCommit((v / factor) as V, change)}
        {...rest}
      />
    </FollowControl>
  );
}
