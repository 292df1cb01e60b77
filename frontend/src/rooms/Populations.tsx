/** The populations: each with its true colour shares, whether it is shown, and shown alone. */
import { Copy, Eye, EyeOff, Focus, Trash2 } from "lucide-react";
import { memo } from "react";
import type { PopulationDocument } from "../api/client";
import { isFollowing, sourceOf } from "../state/follow";
import { duplicatePopulation } from "./gather/fresh";
import { choosePopulation, NONE, removePopulation, setShown, showAlone, useStore } from "../state/store";
import { ActionMenu } from "../widgets/ActionMenu";
import { IconButton } from "../widgets/Button";
import { ThinStrip } from "../widgets/ShareStrip";

export function Populations({ removable }: { removable?: boolean }) {
  const populations = useStore((s) => s.scene?.populations ?? NONE);
  return (
    <section aria-label="Populations">
      <h2 className="heading mb-1.5">Populations</h2>
      <ul className="flex flex-col gap-1.5">
        {populations.map((p) => (
          <Row key={p.id} of={p} removable={removable} several={populations.length > 1} />
        ))}
        {populations.length === 0 && <li className="text-soft">None yet.</li>}
      </ul>
    </section>
  );
}

const Row = memo(function Row({ of: p, removable, several }: { of: PopulationDocument; removable?: boolean; several: boolean }) {
  const chosen = useStore((s) => s.chosen === p.id);
  const result = useStore((s) => s.results[p.id]);
  const header = useStore((s) => s.geometry[p.id]?.header);
  const kind = useStore((s) => s.kinds.find((k) => k.name === (header?.kind ?? "clones"))?.elements ?? "elements");
  const alone = useStore((s) => s.alone === p.id);
  const shown = isFollowing(p.shown) ? (result?.shown ?? true) : p.shown;
  const count = header?.count ?? result?.count;
  return (
    <li className={`panel relative ${chosen ? "border-2 border-ink" : "m-px"} ${shown ? "" : "border-dashed"}`}>
      <button type="button" aria-pressed={chosen} className="block w-full cursor-pointer px-2.5 py-2 text-left" onClick={() => choosePopulation(p.id)}>
        {/* As much room as the buttons beside the name take. */}
        <span className="block truncate text-[13px] font-semibold" style={{ paddingRight: 26 * (1 + Number(several) + Number(removable ?? false)) - 4 }}>
          {p.name}
        </span>
        <span className="mb-1.5 block text-soft tabular">
          {count === undefined ? "…" : count.toLocaleString("en-GB")} {kind}
          {p.wears === null ? "" : ` · ${p.wears}`}
        </span>
        <ThinStrip result={result} />
      </button>
      <span className="absolute top-1 right-1 flex">
        {several && (
          <IconButton label={alone ? "Show all populations" : `Show ${p.name} alone`} aria-pressed={alone} onClick={() => showAlone(alone ? null : p.id)}>
            <Focus size={13} className={alone ? "" : "text-soft"} />
          </IconButton>
        )}
        <IconButton
          label={`${shown ? "Hide" : "Show"} ${p.name}`}
          title={isFollowing(p.shown) ? `Shown while ${sourceOf(p.shown)} is on` : undefined}
          onClick={() => setShown(p.id, !shown)}
        >
          {shown ? <Eye size={13} className="text-soft" /> : <EyeOff size={13} />}
        </IconButton>
        {removable && (
          <ActionMenu
            label={`More for ${p.name}`}
            title="More"
            dots
            items={[
              { label: "Duplicate", icon: Copy, run: () => duplicatePopulation(p.id, true) },
              { label: "Duplicate without its look", icon: Copy, run: () => duplicatePopulation(p.id, false) },
              { label: "Remove", icon: Trash2, run: () => removePopulation(p.id) },
            ]}
          />
        )}
      </span>
    </li>
  );
});
