/** The populations: each with its true colour shares, what was noticed of it, whether it is shown, and shown alone. */
import { Copy, Eye, EyeOff, Focus, PenLine, Trash2, TriangleAlert } from "lucide-react";
import { memo } from "react";
import type { PopulationDocument } from "../api/client";
import { withPopulation } from "../state/edits";
import { isFollowing, sourceOf } from "../state/follow";
import { remarksOf } from "../state/remarks";
import { choosePopulation, edit, NONE, setShown, showAlone, useStore } from "../state/store";
import { ActionMenu } from "../widgets/ActionMenu";
import { IconButton } from "../widgets/Button";
import { Section } from "../widgets/Section";
import { Renaming } from "../widgets/Renaming";
import { ThinStrip } from "../widgets/ShareStrip";
import { duplicatePopulation } from "./gather/fresh";
import { askRemoval } from "./Removal";

export function Populations() {
  const populations = useStore((s) => s.scene?.populations ?? NONE);
  return (
    <Section name="Populations" count={populations.length}>
      <ul className="flex flex-col gap-1.5">
        {populations.map((p) => (
          <Row key={p.id} of={p} several={populations.length > 1} />
        ))}
      </ul>
    </Section>
  );
}

/** Give a population another name. */
export function renamePopulation(id: string, wanted: string) {
  const name = wanted.trim().slice(0, 100);
  edit("Rename a population", (scene) => (name ? withPopulation(scene, id, (p) => ({ ...p, name })) : scene));
}

const Row = memo(function Row({ of: p, several }: { of: PopulationDocument; several: boolean }) {
  const chosen = useStore((s) => s.chosen === p.id);
  const result = useStore((s) => s.results[p.id]);
  const failed = useStore((s) => Boolean(s.errors[p.id]));
  const header = useStore((s) => s.geometry[p.id]?.header);
  const kind = useStore((s) => s.kinds.find((k) => k.name === (header?.kind ?? "clones")));
  const alone = useStore((s) => s.alone === p.id);
  const naming = useStore((s) => s.naming === p.id);
  const name = (to: string | null) => {
    useStore.setState({ naming: null });
    if (to !== null) renamePopulation(p.id, to);
  };
  const shown = isFollowing(p.shown) ? (result?.shown ?? true) : p.shown;
  const count = header?.count ?? result?.count;
  const remarks = failed ? 1 : remarksOf(result?.advisories ?? [], p).length;
  return (
    <li className={`panel relative ${chosen ? "border-2 border-ink" : "m-px"} ${shown ? "" : "border-dashed"}`}>
      {naming && <Renaming label="Name of the population" name={p.name} className="absolute top-1 left-1.5 z-10 w-[calc(100%-12px)]" onDone={name} />}
      <button
        type="button"
        aria-pressed={chosen}
        title="F2 or a double click renames it"
        className="block w-full cursor-pointer px-2.5 py-1.5 text-left"
        onClick={() => choosePopulation(p.id)}
        onDoubleClick={() => useStore.setState({ naming: p.id })}
        onKeyDown={(e) => e.key === "F2" && useStore.setState({ naming: p.id })}
      >
        {/* As much room as the buttons beside the name take. */}
        <span className="block truncate text-[13px] font-semibold" style={{ paddingRight: 26 * (2 + Number(several)) - 4 }}>
          {p.name}
        </span>
        <span className="mb-1 flex items-center gap-1 text-soft tabular">
          <span className="truncate">
            {count === undefined ? "…" : count.toLocaleString("en-GB")} {count === 1 ? (kind?.element ?? "element") : (kind?.elements ?? "elements")}
            {p.wears === null ? "" : ` · ${p.wears}`}
          </span>
          {remarks > 0 && (
            <span className="ml-auto flex flex-none items-center gap-0.5 font-semibold text-ink" title={failed ? "Its look cannot run" : `${remarks} ${remarks === 1 ? "remark" : "remarks"}`}>
              <TriangleAlert size={11} aria-label={failed ? "Its look cannot run" : "Remarks:"} />
              {!failed && remarks}
            </span>
          )}
        </span>
        <ThinStrip result={result} />
      </button>
      <span className="absolute top-0.5 right-1 flex">
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
        <ActionMenu
          label={`More for ${p.name}`}
          title="More"
          dots
          items={[
            { label: "Rename", icon: PenLine, run: () => useStore.setState({ naming: p.id }) },
            { label: "Duplicate", icon: Copy, run: () => duplicatePopulation(p.id, true) },
            { label: "Duplicate without its look", icon: Copy, run: () => duplicatePopulation(p.id, false) },
            { label: "Remove", icon: Trash2, run: () => askRemoval({ kind: "population", id: p.id }) },
          ]}
        />
      </span>
    </li>
  );
});
