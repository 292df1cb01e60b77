/** The keys of a marker or dial: where they stand on the timeline, and how each goes on to the next. */
import { Trash2 } from "lucide-react";
import { goTo, useStore } from "../state/store";
import { IconButton } from "../widgets/Button";
import { Choice } from "../widgets/Choice";
import { NumberField } from "../widgets/NumberField";

type Key = { frame: number; to_next: "hold" | "straight" | "ease"; value: unknown };

const WAYS = [
  { value: "hold", label: "hold" },
  { value: "straight", label: "straight" },
  { value: "ease", label: "ease" },
] as const;

export function Keys({ of, keys, onChange }: { of: string; keys: readonly Key[]; onChange: (keys: Key[], label: string) => void }) {
  const frame = useStore((s) => s.frame);
  if (keys.length === 0) return null;
  const put = (k: number, to: Partial<Key>, label: string) => {
    const others = keys.filter((other, i) => i !== k && other.frame !== to.frame);
    onChange([...others, { ...keys[k]!, ...to }].toSorted((a, b) => a.frame - b.frame), label);
  };
  return (
    <ul aria-label={`Keys of ${of}`} className="mt-0.5 flex flex-col">
      {keys.map((key, k) => (
        <li key={key.frame} className="flex h-6.5 items-center gap-1">
          <button type="button" aria-label={`Go to frame ${key.frame}`} title="Go there" className={`size-2 flex-none rotate-45 cursor-pointer border border-ink ${key.frame === frame ? "bg-ink" : ""}`} onClick={() => goTo(key.frame)} />
          <NumberField label={`Frame of key ${k + 1} of ${of}`} hideLabel whole min={0} max={1_000_000} value={key.frame} width="w-[50px]" onCommit={(v) => put(k, { frame: v }, `Move a key of ${of}`)} />
          <Choice label={`From key ${k + 1} of ${of} to the next`} plain value={key.to_next} options={[...WAYS]} onChange={(way) => put(k, { to_next: way }, `Let a key of ${of} ${way}`)} />
          <IconButton label={`Remove key ${k + 1} of ${of}`} className="ml-auto" onClick={() => onChange(keys.filter((_, i) => i !== k), `Remove a key of ${of}`)}>
            <Trash2 size={11} />
          </IconButton>
        </li>
      ))}
    </ul>
  );
}
