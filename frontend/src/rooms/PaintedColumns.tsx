/** The painted columns of the chosen population, and the brush. */
import { Brush as BrushIcon, Paintbrush, Palette, Trash2 } from "lucide-react";
import { type Brush, json, type Painted, type Scene } from "../api/client";
import { addColumn, addPainted, chosenPopulation, edit, editPopulation, NONE, pickBrush, useStore } from "../state/store";
import { type Action, ActionMenu } from "../widgets/ActionMenu";
import { Button, IconButton } from "../widgets/Button";
import { Choice } from "../widgets/Choice";
import { ColourField } from "../widgets/ColourField";
import { NameField } from "../widgets/NameField";
import { NumberField } from "../widgets/NumberField";
import { Section } from "../widgets/Section";
import { strokeOnce } from "../state/tools";

async function rename(old: string, wanted: string) {
  const { scene, chosen, tool } = useStore.getState();
  const answer = await json<{ scene: Scene }>("POST", "/painted-names", { scene, population: chosen, old, new: wanted });
  edit(`Rename ${old} to ${wanted}`, () => answer.scene);
  if (tool?.kind === "paint" && tool.column === old) useStore.setState({ tool: { kind: "paint", column: wanted } });
}

export function PaintedColumns() {
  const columns = useStore((s) => chosenPopulation(s)?.painted ?? (NONE as Painted[]));
  const column = useStore((s) => (s.tool?.kind === "paint" ? s.tool.column : null));
  const there = useStore((s) => chosenPopulation(s) !== null);
  if (!there) return null;
  return (
    <Section
      name="Painted"
      label="Painted columns"
      count={columns.length}
      actions={
        <>
          <IconButton label="Paint a new weight" title="Paint a new weight: by hand, with a brush in the view" onClick={() => addPainted("number")}>
            <Paintbrush size={13} />
          </IconButton>
          <IconButton label="Paint new colours" onClick={() => addPainted("colour")}>
            <Palette size={13} />
          </IconButton>
          <ActionMenu label="Columns of your own" dots items={OWN} />
        </>
      }
    >
      <ul>
        {columns.map((p) => (
          <li key={p.name} className={`flex flex-wrap items-center gap-1 rounded px-1.5 ${p.name === column ? "bg-well outline outline-ink" : ""}`}>
            <NameField label={`Name of the painted column ${p.name}`} name={p.name} className="quiet min-w-0 grow basis-8" onRename={(wanted) => rename(p.name, wanted)} />
            <span className="text-[11px] text-soft">{p.role || (p.kind === "number" ? "weight" : p.kind)}</span>
            {p.kind !== "vector" && (
              <IconButton label={p.name === column ? "Put the brush away" : `Paint ${p.name}`} aria-pressed={p.name === column} onClick={() => (p.name === column ? useStore.setState({ tool: null }) : pickBrush(p.name, p.kind))}>
                <BrushIcon size={12} />
              </IconButton>
            )}
            <IconButton label={`Remove the painted column ${p.name}`} onClick={() => editPopulation(`Remove ${p.name}`, (of) => ({ ...of, painted: of.painted.filter((q) => q.name !== p.name) }))}>
              <Trash2 size={12} />
            </IconButton>
            {p.digest === "" && p.name !== column && <Fill of={p} />}
          </li>
        ))}
      </ul>
      {column !== null && <BrushSettings column={column} />}
    </Section>
  );
}

/** Columns that are the same for all until they are painted, and stand in where what was brought has gaps. */
const OWN: Action[] = [
  { label: "A number for all", run: () => void addColumn("value", { kind: "number", fill: 1, role: "" }) },
  { label: "A colour for all", run: () => void addColumn("tint", { kind: "colour", fill: "#c8553d", role: "" }) },
  { label: "A point", run: () => void addColumn("point", { kind: "vector", fill: [0, 0, 0], role: "point" }) },
  { label: "A direction", run: () => void addColumn("direction", { kind: "vector", fill: [0, 0, 1], role: "direction" }) },
];

/** What an unpainted column has for all, and where a column of its name has gaps. */
function Fill({ of: p }: { of: Painted }) {
  const set = (fill: Painted["fill"]) => editPopulation(`Change ${p.name}`, (of) => ({ ...of, painted: of.painted.map((q) => (q.name === p.name ? { ...q, fill } : q)) }));
  if (typeof p.fill === "string") return <ColourField label={`${p.name} for all`} value={p.fill} onDraft={() => undefined} onCommit={set} />;
  if (p.kind !== "vector") return <NumberField label={`${p.name} for all`} hideLabel value={p.fill as number} width="w-[56px]" onCommit={set} />;
  const three = (Array.isArray(p.fill) ? p.fill : [p.fill, p.fill, p.fill]) as [number, number, number];
  return (
    <span className="flex basis-full gap-1 pb-1">
      {["x", "y", "z"].map((axis, k) => (
        <NumberField
          key={axis}
          label={`${p.name} ${axis}`}
          hideLabel
          value={three[k]!}
          width="w-[56px]"
          onCommit={(v) => set(three.map((old, i) => (i === k ? v : old)) as [number, number, number])}
        />
      ))}
    </span>
  );
}

const WAYS = [
  { value: "add", label: "Add" },
  { value: "remove", label: "Remove" },
  { value: "soften", label: "Soften" },
] as const;
const MIRRORS = [
  { value: "none", label: "no mirror" },
  { value: "x", label: "mirror x" },
  { value: "y", label: "mirror y" },
  { value: "z", label: "mirror z" },
] as const;

function BrushSettings({ column }: { column: string }) {
  const brush = useStore((s) => s.brush);
  const set = (to: Partial<Brush>) => useStore.setState({ brush: { ...brush, ...to } });
  const way = brush.way === "set_all" ? "add" : brush.way;
  return (
    <div role="group" aria-label="Brush" className="mt-1.5 flex flex-wrap items-center gap-x-2 gap-y-1.5 rounded-md border border-line p-1.5">
      <Choice label="Way" plain value={way} options={[...WAYS]} onChange={(v) => set({ way: v })} />
      <Choice label="Mirror" plain value={brush.mirror === "" ? "none" : brush.mirror} options={[...MIRRORS]} onChange={(v) => set({ mirror: v === "none" ? "" : v })} />
      <NumberField label="Radius" min={0.001} max={1e6} step={0.01} value={brush.radius} width="w-[56px]" onDraft={(radius) => set({ radius })} onCommit={(radius) => set({ radius })} />
      <NumberField label="Hardness" unit="%" min={0} max={100} step={1} value={brush.hardness * 100} width="w-[52px]" onDraft={(v) => set({ hardness: v / 100 })} onCommit={(v) => set({ hardness: v / 100 })} />
      <NumberField label="Strength" unit="%" min={0} max={100} step={1} value={brush.strength * 100} width="w-[52px]" onDraft={(v) => set({ strength: v / 100 })} onCommit={(v) => set({ strength: v / 100 })} />
      {typeof brush.value === "string" ? (
        <ColourField label="Paint with" value={brush.value} onDraft={(value) => set({ value })} onCommit={(value) => set({ value })} />
      ) : (
        <NumberField label="Paint" value={brush.value} width="w-[52px]" onCommit={(value) => set({ value })} />
      )}
      <Button onClick={() => void strokeOnce(useStore.getState().chosen, column, { ...brush, way: "set_all" }, [])}>Set all</Button>
    </div>
  );
}
