/** A share of the elements that is typed in per cent. */
import { NumberField } from "./NumberField";

/** ``share`` is told and committed as a part of one. */
export function ShareField({ label, share, onCommit }: { label: string; share: number; onCommit: (share: number) => void }) {
  return <NumberField label={label} hideLabel unit="%" width="w-[62px]" digits={2} step={1} min={0} max={100} value={100 * share} onCommit={(v) => onCommit(v / 100)} />;
}
