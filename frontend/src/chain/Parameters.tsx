/** A step's controls, drawn from the JSON Schema of its parameters. */
import { ChevronDown, ChevronRight, RotateCcw } from "lucide-react";
import { useState } from "react";
import type { AttributeCensus, Level, Step } from "../api/client";
import { attributesOf, NONE, useStore } from "../state/store";
import { type Follows, isFollowing } from "../state/follow";
import { chosenLook } from "../state/store";
import { Choice } from "../widgets/Choice";
import { ColourField } from "../widgets/ColourField";
import { IconButton } from "../widgets/Button";
import { NumberField } from "../widgets/NumberField";
import { Toggle } from "../widgets/Toggle";
import { FollowControl } from "./FollowControl";
import { FormulaField } from "./FormulaField";
import { FollowNumber } from "./FollowNumber";
import { Fitted, InSpace } from "./Placing";
import { BelowChoice, MarkerChoice, MarkersChoice, OtherChoice, Otherwise, OwnerChoice, PictureChoice, type Read, ReadingChoice, VectorChoice } from "./Reading";
import { Seed } from "./Seed";
import { type Source, Sources } from "./Sources";

export interface Property {
  type?: string;
  title?: string;
  description?: string;
  enum?: string[];
  const?: string;
  minimum?: number;
  maximum?: number;
  exclusiveMinimum?: number;
  unit?: string;
  control?: string;
  default?: unknown;
  /** What the words of an enum are called, where that is not the words themselves. */
  words?: string[];
  /** What it can follow instead of being fixed. */
  follow?: Follows;
  /** The functions of a formula. */
  functions?: string[];
  /** The schemas of the numbers of a tuple. */
  prefixItems?: unknown[];
  /** Shown only while other parameters have these values. */
  when?: Record<string, unknown>;
  /** The parameters of a document that stands within, or of each of several. */
  fields?: Record<string, unknown>;
}

interface Props {
  values: Record<string, unknown>;
  schema: Record<string, unknown>;
  onDraft: (values: Record<string, unknown>) => void;
  onCommit: (values: Record<string, unknown>, label: string) => void;
  skip?: string[];
  /** In two aligned columns, for forms. */
  columns?: boolean;
  /** What stands for values that are left out, by their names. */
  fitted?: Record<string, number | number[]>;
}

const SHORT = ["hsv", "oklch", "oklab"];
const capital = (word: string) => (SHORT.includes(word) ? word.toUpperCase() : word.charAt(0).toUpperCase() + word.slice(1).replaceAll("_", " "));
/** Controls that a step's own editor shows, or none. */
const ELSEWHERE = ["chains", "held", "swatches", "edges", "interval", "none"];
/** Controls that want a row of their own where parameters stand in two columns. */
const WIDE = ["triple", "three", "seed", "reading", "population", "origin", "markers", "picture", "strands", "fields", "sources"];

export function Parameters(props: Props) {
  const sections = (props.schema.sections ?? NONE) as { title: string; names: string[] }[];
  if (sections.length === 0) return <Fields {...props} />;
  const grouped = sections.flatMap(({ names }) => names);
  const all = Object.keys((props.schema.properties ?? {}) as object);
  const skipped = props.skip ?? [];
  return (
    <div className="flex flex-col gap-1.5">
      <Fields {...props} skip={[...skipped, ...grouped]} />
      {sections
        .filter(({ names }) => names.some((name) => !skipped.includes(name)))
        .map(({ title, names }, k) => (
          <FieldGroup key={title} title={title} first={k === 0} changed={names.filter((name) => !skipped.includes(name) && isChanged(props, name)).length}>
            <Fields {...props} skip={[...skipped, ...all.filter((name) => !names.includes(name))]} />
          </FieldGroup>
        ))}
    </div>
  );
}

/** Whether a parameter has another value than the core begins with. */
function isChanged({ schema, values }: Props, name: string): boolean {
  const of = ((schema.properties ?? {}) as Record<string, Property>)[name];
  return of?.default !== undefined && JSON.stringify(of.default) !== JSON.stringify(values[name]);
}

/** A group of fields that folds; the first is open, the others say how many of theirs were changed. */
function FieldGroup({ title, first, changed, children }: { title: string; first: boolean; changed: number; children: React.ReactNode }) {
  const kept = `gaudyseed-fields-${title}`;
  const [open, setOpen] = useState(() => (localStorage.getItem(kept) ?? (first ? "open" : "")) === "open");
  const Arrow = open ? ChevronDown : ChevronRight;
  return (
    <div role="group" aria-label={title}>
      <button
        type="button"
        aria-expanded={open}
        className="heading -ml-1 flex h-6 w-full cursor-pointer items-center gap-0.5 rounded text-left"
        onClick={() => {
          localStorage.setItem(kept, open ? "" : "open");
          setOpen(!open);
        }}
      >
        <Arrow size={12} aria-hidden />
        {title}
        {!open && changed > 0 && <span className="ml-1.5 font-normal text-soft normal-case">{changed} changed</span>}
      </button>
      {open && <div className="pt-1 pb-1">{children}</div>}
    </div>
  );
}

function Fields({ values, schema, onDraft, onCommit, skip = [], columns, fitted }: Props) {
  const properties = (schema.properties ?? {}) as Record<string, Property>;
  const shown = (n: string) => Object.entries(properties[n]?.when ?? {}).every(([key, value]) => (Array.isArray(value) ? value.includes(values[key]) : values[key] === value));
  const names = Object.keys(properties).filter((n) => !["step", "maker", "enabled", ...skip].includes(n) && shown(n));
  if (names.length === 0) return null;
  return (
    <div
      className={
        columns
          ? "columned grid grid-cols-2 items-center gap-x-2 gap-y-2 max-[900px]:grid-cols-1 max-[900px]:[&>*]:col-span-1"
          : names.length > 7
            ? "aligned grid grid-cols-2 items-center gap-x-2 gap-y-2 max-[900px]:grid-cols-1 max-[900px]:[&>*]:col-span-1"
            : "flex flex-wrap items-center gap-x-3.5 gap-y-2"
      }
    >
      {names.map((name) => (
        <Control
          key={name}
          name={name}
          of={properties[name]!}
          value={values[name]}
          resets={!columns}
          fitted={fitted?.[name]}
          onDraft={(value) => onDraft({ ...values, [name]: value })}
          onCommit={(value, label) => onCommit({ ...values, [name]: value }, label)}
        />
      ))}
    </div>
  );
}

/** One number for each channel, each with its own link. */
function Triple({ title, value, onDraft, onCommit }: { title: string; value: unknown[]; onDraft: (v: unknown) => void; onCommit: ControlProps["onCommit"] }) {
  const changed = (k: number, to: unknown) => value.map((v, i) => (i === k ? to : v));
  const neutral = title.endsWith("offset") ? 0 : 1;
  return (
    <span className="inline-flex flex-wrap items-center gap-x-1.5 gap-y-1">
      <span className="w-[84px] flex-none text-soft">{title}</span>
      {["red", "green", "blue"].map((channel, k) => (
        <FollowNumber
          key={channel}
          title={`${title}, ${channel}`}
          how="signal"
          value={value[k]}
          shown={neutral}
          change={`Change ${title}`}
          hideLabel
          width="w-[56px]"
          onDraft={(v) => onDraft(changed(k, v))}
          onCommit={(v, label) => onCommit(changed(k, v), label)}
        />
      ))}
    </span>
  );
}

export interface ControlProps {
  /** Whether a changed value can be put back. */
  resets?: boolean;
  /** What stands for the value where it is left out. */
  fitted?: number | number[];
  name: string;
  of: Property;
  value: unknown;
  onDraft: (value: unknown) => void;
  onCommit: (value: unknown, label: string) => void;
}

/** A control, with a way back to what the core begins with where the value is another. */
function Control(props: ControlProps) {
  const { name, of, value, onCommit } = props;
  const changed = of.default !== undefined && (of.control === undefined || of.control === "fitted" || of.control === "three") && of.type !== "boolean" && !of.enum;
  const other = (changed || of.control === "triple") && JSON.stringify(value) !== JSON.stringify(of.default);
  const title = of.title ?? capital(name);
  return (
    <span className={`inline-flex items-center ${of.fields ? "w-full [&>*]:w-full" : ""} ${isFollowing(value) || of.type === "boolean" || WIDE.includes(of.control ?? "") ? "col-span-2" : ""}`}>
      <Followed {...props} />
      {other && props.resets && (
        <IconButton label={`Reset ${title}`} className="size-5" onClick={() => onCommit(of.default, `Reset ${title.toLowerCase()}`)}>
          <RotateCcw size={11} className="text-soft" />
        </IconButton>
      )}
    </span>
  );
}

function Followed(props: ControlProps) {
  const { name, of, value, onDraft, onCommit } = props;
  if (of.control === "three") return <InSpace {...props} />;
  if (!of.follow || value === null || of.control === "colour") return <Fixed {...props} />;
  const share = of.unit === "share";
  return (
    <FollowControl
      title={of.title ?? capital(name)}
      how={of.follow}
      value={value}
      most={of.maximum ?? Infinity}
      otherwise={of.default}
      options={of.enum}
      factor={share ? 100 : 1}
      unit={share ? "%" : of.unit}
      onDraft={onDraft}
      onCommit={onCommit}
    >
      <Fixed {...props} />
    </FollowControl>
  );
}

function Fixed({ name, of, value, fitted, onDraft, onCommit }: ControlProps) {
  const attributes = useStore(attributesOf);
  const title = of.title ?? capital(name);
  const label = `Change ${title.toLowerCase()}`;
  if (of.control === "seed") return <Seed seed={value as number} what={title} onCommit={onCommit} />;
  if (of.control === "attribute" || of.control === "key") {
    return <AttributeChoice title={title} value={value as string} of={of} attributes={attributes} onCommit={onCommit} />;
  }
  if (of.control === "signal") return <SignalChoice title={title} value={value as string} onCommit={onCommit} />;
  if (of.control === "owner") return <OwnerChoice title={title} value={value as string} help={of.description} onCommit={onCommit} />;
  if (of.control === "mesh" || of.control === "strands")
    return <BelowChoice title={title} kind={of.control} value={value as string | null} help={of.description} onCommit={onCommit} />;
  if (of.control === "reading") return <ReadingChoice title={title} value={value as Read | null} help={of.description} numbers none="The same everywhere" onCommit={onCommit} />;
  if (of.control === "vector") return <VectorChoice title={title} value={value as string} attributes={attributes} help={of.description} onCommit={onCommit} />;
  if (of.control === "owner_or_all") return <OwnerChoice title={title} value={value as string} all="all elements" help={of.description} onCommit={onCommit} />;
  if (of.control === "origin") return <OtherChoice title={title} value={value as string | null} help={of.description} none="nothing yet" onCommit={onCommit} />;
  if (of.control === "sources") return <Sources of={of} value={value as Source[]} onDraft={onDraft} onCommit={onCommit} fields={ofSource(of.fields ?? EMPTY)} />;
  if (of.control === "fields")
    return <Parameters values={value as Record<string, unknown>} schema={of.fields ?? EMPTY} columns onDraft={onDraft} onCommit={onCommit} />;
  if (of.control === "marker") return <MarkerChoice title={title} value={value as string | null} help={of.description} onCommit={onCommit} />;
  if (of.control === "markers") return <MarkersChoice title={title} value={value as string[]} help={of.description} onCommit={onCommit} />;
  if (of.control === "population") return <OtherChoice title={title} value={value as string | null} help={of.description} onCommit={onCommit} />;
  if (of.control === "picture") return <PictureChoice title={title} value={value as string | null} help={of.description} onCommit={onCommit} />;
  if (of.control === "fitted" && value === null) return <Fitted title={title} of={of} fitted={(fitted as number | undefined) ?? 1} onCommit={onCommit} />;
  if (of.control === "otherwise") return <OtherwiseOf title={title} value={value as number | string | null} help={of.description} onCommit={onCommit} />;
  if (ELSEWHERE.includes(of.control ?? "")) return null;
  if (of.control === "triple") return <Triple title={title} value={value as unknown[]} onDraft={onDraft} onCommit={onCommit} />;
  if (of.control === "formula") return <FormulaField title={title} value={value as string} help={of.description} functions={of.functions ?? NONE} onCommit={onCommit} />;
  if (of.control === "colour") return <ColourOrNone title={title} value={value as string | null} optional={of.default === null} help={of.description} onDraft={onDraft} onCommit={onCommit} />;
  if (of.control === "number_or_colour") return <NumberOrColour value={value as number | string} onDraft={onDraft} onCommit={onCommit} />;
  if (of.enum) {
    return (
      <span className="inline-flex items-center gap-1 text-soft" title={of.description}>
        <span className="choice-title">{title}</span>
        <span className="text-ink">
          <Choice
            label={title}
            plain
            value={value as string}
            options={of.enum.map((v, k) => ({ value: v, label: of.words?.[k] ?? capital(v) }))}
            onChange={(v) => onCommit(v, label)}
          />
        </span>
      </span>
    );
  }
  if (of.type === "boolean") return <Toggle label={title} on={value as boolean} onChange={(v) => onCommit(v, label)} />;
  const share = of.unit === "share";
  const factor = share ? 100 : 1;
  const whole = of.type === "integer";
  const low = of.minimum ?? of.exclusiveMinimum ?? -Infinity;
  const span = (of.maximum ?? 1) - (Number.isFinite(low) ? low : 0);
  return (
    <span title={of.description}>
      <NumberField
        label={title}
        value={(value as number) * factor}
        min={low * factor}
        max={(of.maximum ?? Infinity) * factor}
        unit={share ? "%" : of.unit === "°" ? "°" : undefined}
        whole={whole}
        digits={share ? 1 : 4}
        step={whole || share || span > 20 ? 1 : 0.01}
        width={whole ? "w-[84px]" : "w-[62px]"}
        onDraft={(v) => onDraft(v / factor)}
        onCommit={(v) => onCommit(v / factor, label)}
      />
    </span>
  );
}

/** The controls of one source among several. */
const ofSource = (schema: Record<string, unknown>) => (source: Source, onDraft: (to: Source) => void, onCommit: (to: Source, label: string) => void) => (
  <Parameters values={source} schema={schema} columns onDraft={(v) => onDraft(v as Source)} onCommit={(v, label) => onCommit(v as Source, label)} />
);

/** What stands for a missing attribute: a colour where the attribute holds colours. */
function OtherwiseOf(props: { title: string; value: number | string | null; help?: string; onCommit: (value: number | string | null, label: string) => void }) {
  const colours = useStore((s) => attributesOf(s).some((a) => a.kind === "colour"));
  return <Otherwise {...props} colour={colours && typeof props.value === "string"} />;
}

interface AttributeChoiceProps {
  title: string;
  value: string;
  of: Property;
  attributes: AttributeCensus[];
  onCommit: (value: unknown, label: string) => void;
}

function AttributeChoice({ title, value, of, attributes, onCommit }: AttributeChoiceProps) {
  const levels = useStore((s) => s.geometry[s.chosen]?.header.levels ?? (NONE as Level[]));
  const key = of.control === "key";
  const fitting = attributes.filter((a) => !key || a.kind === "integer" || a.kind === "text");
  const options = fitting.map((a) => {
    const above = levels.find((d) => d.name === a.name);
    const alike = a.kind === "text" && levels.some((d) => a.name === `${d.name}_name`);
    return { value: a.name, label: above ? `${a.name} · ${above.count} of them` : alike ? `${a.name} · equal names alike` : `${a.name} · ${a.kind}` };
  });
  if (key) {
    const coarser = (o: { value: string }) => levels.some((d) => d.name === o.value);
    options.sort((a, b) => Number(coarser(b)) - Number(coarser(a)));
    options.unshift({ value: "element", label: "element" });
  }
  if (!options.some((o) => o.value === value)) options.push({ value, label: `${value} (missing)` });
  return (
    <span className="inline-flex items-center gap-1 text-soft" title={of.description}>
      {title}
      <span className="text-ink">
        <Choice label={title} plain value={value} options={options} onChange={(v) => onCommit(v, `Read ${v}`)} />
      </span>
    </span>
  );
}

function SignalChoice({ title, value, onCommit }: { title: string; value: string; onCommit: ControlProps["onCommit"] }) {
  const look = useStore(chosenLook);
  const names = [...new Set([...(look?.signals ?? []), ...(look?.scene.signals ?? [])].map((signal) => signal.name))];
  const options = names.map((name) => ({ value: name, label: name }));
  if (!names.includes(value)) options.push({ value, label: `${value} (missing)` });
  return (
    <span className="inline-flex items-center gap-1 text-soft">
      {title}
      <span className="text-ink">
        <Choice label={title} plain value={value} options={options} onChange={(v) => onCommit(v, `Read ${v}`)} />
      </span>
    </span>
  );
}

interface ColourProps {
  title: string;
  value: string | null;
  /** Whether it may be left out. */
  optional: boolean;
  help?: string;
  onDraft: (value: unknown) => void;
  onCommit: ControlProps["onCommit"];
}

function ColourOrNone({ title, value, optional, help, onDraft, onCommit }: ColourProps) {
  return (
    <span className="col-span-2 inline-flex h-6.5 items-center gap-2" title={help}>
      {optional ? (
        <Toggle label={`${title} of its own`} on={value !== null} onChange={(on) => onCommit(on ? "#c8553d" : null, `Change ${title.toLowerCase()}`)} />
      ) : (
        <span className="text-soft">{title}</span>
      )}
      {value !== null && <ColourField label={title} value={value} onDraft={onDraft} onCommit={(c) => onCommit(c, `Change ${title.toLowerCase()}`)} />}
    </span>
  );
}

interface NumberOrColourProps {
  value: number | string;
  onDraft: (value: unknown) => void;
  onCommit: (value: unknown, label: string) => void;
}

function NumberOrColour({ value, onDraft, onCommit }: NumberOrColourProps) {
  const colour = typeof value === "string";
  return (
    <span className="inline-flex items-center gap-2">
      <Choice
        label="Kind"
        plain
        value={colour ? "colour" : "number"}
        options={[
          { value: "number", label: "Number" },
          { value: "colour", label: "Colour" },
        ]}
        onChange={(kind) => onCommit(kind === "colour" ? "#c8553d" : 0.5, `Make it a ${kind}`)}
      />
      {colour ? (
        <ColourField label="Constant colour" value={value} onDraft={onDraft} onCommit={(c) => onCommit(c, "Recolour")} />
      ) : (
        <NumberField label="Value" value={value} onDraft={onDraft} onCommit={(v) => onCommit(v, "Change the value")} />
      )}
    </span>
  );
}

/** The generated controls of a step, for its own editor. */
export function StepParameters<S extends Step>({ step, onDraft, onCommit, ...more }: { step: S; onDraft: (step: S) => void; onCommit: (step: S, label: string) => void } & Pick<Props, "schema" | "skip" | "fitted">) {
  return (
    <Parameters
      {...more}
      values={step as unknown as Record<string, unknown>}
      onDraft={(v) => onDraft(v as unknown as S)}
      onCommit={(v, label) => onCommit(v as unknown as S, label)}
    />
  );
}

/** The schema of a step by its word. */
export function useSchema(step: Step): Record<string, unknown> {
  return useStore((s) => s.steps.find((d) => d.name === step.step)?.parameters ?? EMPTY);
}
const EMPTY: Record<string, unknown> = {};
