/** Choosing what owns elements, what they stand on, and what is read of another population. */
import { createContext, useContext } from "react";
import type { Asset, AttributeCensus, Marker } from "../api/client";
import { attributesOf, NONE, type State, useStore } from "../state/store";
import { lookOf } from "../state/edits";
import { Choice } from "../widgets/Choice";
import { ColourField } from "../widgets/ColourField";
import { NumberField } from "../widgets/NumberField";
import { Toggle } from "../widgets/Toggle";

interface Props<T> {
  title: string;
  value: T;
  help?: string;
  onCommit: (value: T, label: string) => void;
}

/** A title, and beside it a choice. */
function Titled({ title, help, children }: { title: string; help?: string; children: React.ReactNode }) {
  return (
    <span className="inline-flex items-center gap-1 text-soft" title={help}>
      <span className="choice-title">{title}</span>
      <span className="text-ink">{children}</span>
    </span>
  );
}

/** A level that owns elements, or an attribute whose equal values belong together. */
export function OwnerChoice({ title, value, help, all, onCommit }: Props<string> & { all?: string }) {
  const header = useStore((s) => s.geometry[s.chosen]?.header);
  const above = (header?.levels ?? []).slice(1);
  const keys = (header?.attributes ?? []).filter((a) => (a.kind === "integer" || a.kind === "text") && !above.some((l) => l.name === a.name) && a.name !== "id");
  const options = [
    ...(all ? [{ value: "all", label: all }] : []),
    ...above.map((l) => ({ value: l.name, label: `${l.name} · ${l.count.toLocaleString("en-GB")} of them` })),
    ...keys.map((a) => ({ value: a.name, label: a.kind === "text" ? `${a.name} · ${a.texts.toLocaleString("en-GB")} texts` : `${a.name} · ${a.kind}` })),
  ];
  if (!options.some((o) => o.value === value)) options.push({ value, label: `${value} (missing)` });
  return (
    <Titled title={title} help={help}>
      <Choice label={title} plain value={value} options={options} onChange={(v) => onCommit(v, `Take one value per ${v}`)} />
    </Titled>
  );
}

const NOTHING = " ";

/** The populations of a scene that elements can stand on. */
export function BelowChoice({ title, value, kind, help, onCommit }: Props<string | null> & { kind: "mesh" | "strands" }) {
  const listed = useStore((s) => JSON.stringify((s.scene?.populations ?? NONE).filter((p) => s.geometry[p.id]?.header.kind === kind).map((p) => ({ value: p.id, label: p.name }))));
  const options = [{ value: NOTHING, label: kind === "mesh" ? "The surface alone" : "Nothing yet" }, ...(JSON.parse(listed) as { value: string; label: string }[])];
  if (value !== null && !options.some((o) => o.value === value)) options.push({ value, label: `${value} (missing)` });
  return (
    <Titled title={title} help={help}>
      <Choice label={title} plain value={value ?? NOTHING} options={options} onChange={(v) => onCommit(v === NOTHING ? null : v, "Stand on something else")} />
    </Titled>
  );
}

export interface Read {
  of: "attribute" | "signal" | "channel";
  name: string;
}

/** What can be read of a population, else of that which the chosen one stands on, as a list of JSON. */
function readable(s: State, numbers: boolean, of?: string | null): string {
  const maker = s.scene?.populations.find((p) => p.id === s.chosen)?.maker;
  const on = of ?? (maker && "on" in maker ? (maker as { on: string | null }).on : null);
  const below = s.scene?.populations.find((p) => p.id === on);
  if (!s.scene || !below) return "[]";
  const attributes = attributesOf(s, below.id).filter((a) => a.kind !== "text" && (!numbers || a.kind === "number" || a.kind === "integer"));
  const channels = s.channels.filter((c) => !numbers || c.kind === "number");
  return JSON.stringify([
    ...channels.map((c) => ({ of: "channel", name: c.name, label: c.title })),
    ...lookOf(s.scene, below).signals.map((signal) => ({ of: "signal", name: signal.name, label: `${signal.name} · signal` })),
    ...attributes.map((a) => ({ of: "attribute", name: a.name, label: `${a.name} · ${a.kind}` })),
  ]);
}

/** The population that a reading inside is of. */
export const Origin = createContext<string | null>(null);

/** A value of the population below, or of another one; null reads nothing, where that is possible. */
export function ReadingChoice({ title, value, help, numbers, none, of, onCommit }: Props<Read | null> & { numbers?: boolean; none?: string; of?: string | null }) {
  const origin = useContext(Origin);
  const listed = useStore((s) => readable(s, numbers ?? false, of ?? origin));
  const found = JSON.parse(listed) as (Read & { label: string })[];
  const key = (r: Read) => `${r.of} ${r.name}`;
  const options = [...(none ? [{ value: NOTHING, label: none }] : []), ...found.map((r) => ({ value: key(r), label: r.label }))];
  if (value && !options.some((o) => o.value === key(value))) options.push({ value: key(value), label: `${value.name} (missing)` });
  return (
    <Titled title={title} help={help}>
      <Choice
        label={title}
        plain
        value={value ? key(value) : NOTHING}
        options={options}
        onChange={(v) => {
          const read = found.find((r) => key(r) === v);
          onCommit(read ? { of: read.of, name: read.name } : null, `Read ${read?.name ?? "nothing"}`);
        }}
      />
    </Titled>
  );
}

/** What stands for a value that is missing: nothing, a number or a colour. */
export function Otherwise({ title, value, help, colour, onCommit }: Props<number | string | null> & { colour: boolean }) {
  return (
    <span className="inline-flex items-center gap-2" title={help}>
      <Toggle label={title} on={value !== null} onChange={(on) => onCommit(on ? (colour ? "#808080" : 0) : null, on ? "Give a default" : "Take the default away")} />
      {typeof value === "number" && <NumberField label={`${title}, number`} hideLabel value={value} width="w-[62px]" onCommit={(v) => onCommit(v, "Change the default")} />}
      {typeof value === "string" && <ColourField label={`${title}, colour`} value={value} onDraft={() => undefined} onCommit={(c) => onCommit(c, "Change the default")} />}
    </span>
  );
}

/** A vector of two or more numbers that elements carry, or a signal gives. */
export function VectorChoice({ title, value, help, attributes, onCommit }: Props<string> & { attributes: AttributeCensus[] }) {
  const listed = useStore((s) => {
    const result = s.results[s.chosen];
    return JSON.stringify(Object.keys(result?.signals ?? {}).filter((name) => result?.steps[result.signals[name]!]?.kind === "vector"));
  });
  const options = attributes.filter((a) => a.kind === "vector" && a.width > 1).map((a) => ({ value: a.name, label: a.name }));
  for (const name of JSON.parse(listed) as string[]) options.push({ value: name, label: `${name} · signal` });
  if (!options.some((o) => o.value === value)) options.push({ value, label: `${value} (missing)` });
  return (
    <Titled title={title} help={help}>
      <Choice label={title} plain value={value} options={options} onChange={(v) => onCommit(v, `Measure by ${v}`)} />
    </Titled>
  );
}

/** A marker of the scene, or none. */
export function MarkerChoice({ title, value, help, onCommit }: Props<string | null>) {
  const markers = useStore((s) => s.scene?.markers ?? (NONE as Marker[]));
  const options = [{ value: NOTHING, label: "stands by itself" }, ...markers.map((m) => ({ value: m.name, label: m.name }))];
  if (value !== null && !options.some((o) => o.value === value)) options.push({ value, label: `${value} (missing)` });
  return (
    <Titled title={title} help={help}>
      <Choice label={title} plain value={value ?? NOTHING} options={options} onChange={(v) => onCommit(v === NOTHING ? null : v, v === NOTHING ? "Stand by itself" : `Go along with ${v}`)} />
    </Titled>
  );
}

/** One marker, or all of them. */
export function MarkersChoice({ title, value, help, onCommit }: Props<string[]>) {
  const markers = useStore((s) => s.scene?.markers ?? (NONE as Marker[]));
  const flip = (name: string) => {
    const next = value.includes(name) ? value.filter((v) => v !== name) : [...value, name];
    onCommit(next, "Choose markers");
  };
  if (markers.length === 0) return <span className="text-[11.5px] text-soft">No markers yet: the middle of the elements counts.</span>;
  return (
    <span role="group" aria-label={title} title={help} className="inline-flex flex-wrap items-center gap-x-2 gap-y-1 text-soft">
      {title}
      {markers.map(({ name }) => (
        <label key={name} className="inline-flex items-center gap-1 text-ink">
          <input type="checkbox" className="accent-ink" checked={value.includes(name) || value.length === 0} onChange={() => flip(name)} />
          {name}
        </label>
      ))}
    </span>
  );
}

/** Another population of the scene, or the markers. */
export function OtherChoice({ title, value, help, none = "markers", onCommit }: Props<string | null> & { none?: string }) {
  const listed = useStore((s) => JSON.stringify((s.scene?.populations ?? NONE).filter((p) => p.id !== s.chosen).map((p) => ({ value: p.id, label: p.name }))));
  const options = [{ value: NOTHING, label: none }, ...(JSON.parse(listed) as { value: string; label: string }[])];
  if (value !== null && !options.some((o) => o.value === value)) options.push({ value, label: `${value} (missing)` });
  return (
    <Titled title={title} help={help}>
      <Choice label={title} plain value={value ?? NOTHING} options={options} onChange={(v) => onCommit(v === NOTHING ? null : v, "Be near something else")} />
    </Titled>
  );
}

/** A picture of the scene, or one of those that ship. */
export function PictureChoice({ title, value, help, onCommit }: Props<string | null>) {
  const assets = useStore((s) => s.scene?.assets ?? (NONE as Asset[]));
  const shipped = useStore((s) => s.shipped);
  const first = assets[0]?.name ?? shipped[0]?.name ?? "moon";
  const options = [...assets.map((a) => ({ value: a.name, label: a.name })), ...shipped.filter((p) => !assets.some((a) => a.name === p.name)).map((p) => ({ value: p.name, label: `${p.name} · ships` }))];
  const shown = value ?? first;
  if (!options.some((o) => o.value === shown)) options.push({ value: shown, label: `${shown} (missing)` });
  const source = assets.find((a) => a.name === shown)?.digest ?? shown;
  return (
    <span className="inline-flex items-center gap-2" title={help}>
      <img src={`/api/assets/${encodeURIComponent(source)}`} alt={shown} className="size-9 flex-none rounded border border-line object-contain" />
      <Titled title={title}>
        <Choice label={title} plain value={shown} options={options} onChange={(v) => onCommit(v, `Read the picture ${v}`)} />
      </Titled>
    </span>
  );
}
