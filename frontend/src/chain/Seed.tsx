/** A seed: typed, or drawn anew. */
import { Dices } from "lucide-react";
import { Button } from "../widgets/Button";
import { NumberField } from "../widgets/NumberField";
import { someSeed } from "./seeds";

export function Seed({ seed, onCommit, what }: { seed: number; onCommit: (seed: number, label: string) => void; what: string }) {
  return (
    <span className="inline-flex items-center gap-1.5">
      <NumberField
        label="Seed"
        value={seed}
        whole
        min={0}
        max={4294967295}
        width="w-[70px]"
        onCommit={(v) => onCommit(v, "Change the seed")}
      />
      <Button aria-label={`Reseed ${what}`} onClick={() => onCommit(someSeed(), "Reseed")}>
        <Dices size={13} aria-hidden />
        Reseed
      </Button>
    </span>
  );
}
