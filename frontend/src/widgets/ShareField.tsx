/** A share of the elements that is typed in per cent. */
import { NumberField } from "./NumberField";

/** ``share`` is told and committed as a part of one. */
interface Props {
  label: string;
  share: number;
  onCommit: (share: number) => void;
  /** Several numbers that were pasted at once, as parts of one. */
  onSeveral?: (shares: number[]) => void;
}

export function ShareField({ label, share, onCommit, onSeveral }: Props) {
  const pasted = (event: React.ClipboardEvent) => {
    const numbers = event.clipboardData.getData("text").trim().split(/[\s;%|]+/).filter(Boolean).map((word) => Number(word.replace(",", ".")));
    if (!onSeveral || numbers.length < 2 || numbers.some((n) => !Number.isFinite(n) || n < 0)) return;
    event.preventDefault();
    onSeveral(numbers.map((n) => n / 100));
  };
  return <NumberField onPaste={pasted} label={label} hideLabel unit="%" width="w-[62px]" digits={2} step={1} min={0} max={100} value={100 * share} onCommit={(v) => onCommit(v / 100)} />;
}
