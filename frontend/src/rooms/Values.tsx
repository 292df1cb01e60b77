/** The values that the elements carry or that signals give; pointing at one previews it in the view. */
import { Palette, Plus, Search } from "lucide-react";
import { memo, useEffect, useState } from "react";
import type { AttributeCensus, Histogram, Preview } from "../api/client";
import { addSignal } from "../state/actions";
import { signalChain, signalOf } from "../state/edits";
import { attributesOf, chooseChain, chosenLook, forgetPreview, NONE, pinPreview, same, showPreview, useStore } from "../state/store";
import { IconButton } from "../widgets/Button";
import { Bars, Swatches } from "../widgets/Distribution";
import { Section } from "../widgets/Section";
import { textsSaid } from "./words";
import { whenPointedAt } from "../widgets/pointing";

/** Short enough for the ends of a small axis. */
function figure(v: number): string {
  const size = Math.abs(v);
  if (size >= 10_000) return `${Math.round(v / 1000)}k`;
  return size < 0.001 ? "0" : String(Number(v.toPrecision(2)));
}

export function Values() {
  const attributes = useStore(attributesOf);
  const level = useStore((s) => s.geometry[s.chosen]?.header.levels[0]?.name ?? "clone");
  const look = useStore(chosenLook);
  const signals = look?.signals ?? NONE;
  const shared = look?.scene.signals ?? NONE;
  const chain = useStore((s) => s.chain);
  const own = signalOf(chain);
  const scale = useStore((s) => s.scale);
  const [query, setQuery] = useState("");
  const fits = (name: string) => name.toLowerCase().includes(query.trim().toLowerCase());
  const found = attributes.filter((a) => fits(a.name) || a.kind === query);
  return (
    <>
    <Section
      name={`Values per ${level}`}
      label="Values"
      count={attributes.length}
      className="flex min-h-[172px] flex-1 flex-col"
      actions={
          <IconButton
            label={scale === "greys" ? "Preview in false colours" : "Preview in greys"}
            onClick={() => useStore.setState({ scale: scale === "greys" ? "false_colour" : "greys" })}
          >
            <Palette size={13} className={scale === "greys" ? "text-strong" : ""} />
          </IconButton>
      }
    >
      {attributes.length + signals.length + shared.length > 6 && (
        <label className="relative mb-1 block flex-none">
          <Search size={12} className="absolute top-1/2 left-2 -translate-y-1/2 text-soft" aria-hidden />
          <input className="field w-full pl-6.5" aria-label="Find a value" placeholder="Find" value={query} onChange={(e) => setQuery(e.target.value)} />
        </label>
      )}
      <ul aria-label="Attributes" onPointerLeave={() => showPreview(null)} className="min-h-0 flex-1 overflow-y-auto">
        {found.map((a) => (
          <AttributeRow key={a.name} of={a} elements={level} />
        ))}
        {found.length === 0 && query && <li className="px-1.5 py-1 text-soft">No value has this name.</li>}
      </ul>
    </Section>
    <Section
      name="Signals"
      count={signals.length + shared.length}
      actions={
        <IconButton label="Add a signal" title="Add a signal: a chain with a name, to be read anywhere" onClick={addSignal}>
          <Plus size={14} />
        </IconButton>
      }
    >
      <ul aria-label="Signals" onPointerLeave={() => showPreview(null)}>
        {signals.map((signal, k) =>
          fits(signal.name) ? <SignalRow key={signal.name} name={signal.name} shown={own?.index === k && !own.shared} onOpen={() => chooseChain(signalChain(k), 0)} /> : null,
        )}
        {shared.map((signal, k) =>
          fits(signal.name) && !signals.some((s) => s.name === signal.name) ? (
            <SignalRow key={`shared ${signal.name}`} name={signal.name} mark="shared" shown={own?.index === k && own.shared} onOpen={() => chooseChain(signalChain(k, true), 0)} />
          ) : null,
        )}
      </ul>
    </Section>
    </>
  );
}

interface RowProps {
  name: string;
  of: "attribute" | "signal";
  title: string;
  strong?: boolean;
  onClick: (preview: Preview) => void;
  children: React.ReactNode;
}

function Row({ name, of, title, strong, onClick, children }: RowProps) {
  const scale = useStore((s) => s.scale);
  const preview: Preview = { of, name, scale };
  // What is renamed or gone cannot be looked at any more.
  useEffect(() => () => forgetPreview(of, name), [of, name]);
  const shown = useStore((s) => same(s.preview, { of, name, scale: s.scale }) || (s.pinned?.of === of && s.pinned.name === name));
  return (
    <button
      type="button"
      aria-pressed={strong || shown}
      className={`flex min-h-6.5 w-full items-center gap-2 rounded px-1.5 ${shown ? "bg-well outline outline-ink" : ""} ${strong ? "font-semibold" : ""}`}
      title={title}
      {...whenPointedAt(() => showPreview(preview))}
      onFocus={(e) => e.currentTarget.matches(":focus-visible") && showPreview(preview)}
      onBlur={() => showPreview(null)}
      onClick={() => onClick(preview)}
    >
      {children}
    </button>
  );
}

const KIND_MARKS = { number: "", integer: "whole", vector: "vector", colour: "colour", text: "text" } as const;

const AttributeRow = memo(function AttributeRow({ of: a, elements }: { of: AttributeCensus; elements: string }) {
  const coarser = a.level !== elements;
  const marks = [KIND_MARKS[a.kind], coarser ? `per ${a.level}` : a.derived ? "derived" : ""];
  const range = a.census ? `, ${figure(a.census.least)} to ${figure(a.census.greatest)}` : "";
  const title = `${a.kind}${a.width > 1 ? ` of ${a.width}` : ""} on each ${a.level}${range}; point at it to see it, click to keep it in the view`;
  return (
    <li>
      <Row name={a.name} of="attribute" title={title} onClick={pinPreview}>
        <span className="min-w-0 grow truncate text-left">
          {a.name}
          <span className="text-[11px] text-soft"> {marks.filter(Boolean).join(", ")}</span>
        </span>
        <span className="w-14 flex-none">
          {a.parts.length > 0 ? (
            <Components of={a.parts} name={a.name} />
          ) : a.census ? (
            <Distribution of={a.census} name={a.name} />
          ) : (
            <span className="block text-right text-[11px] text-soft">{a.kind === "text" ? textsSaid(a.texts) : "painted"}</span>
          )}
        </span>
      </Row>
    </li>
  );
});

function Distribution({ of, name }: { of: Histogram; name: string }) {
  return (
    <span className="block pt-0.5">
      <Bars of={of} height={13} label={`Distribution of ${name}`} />
      <span className="flex justify-between text-[9px] leading-[10px] text-soft tabular" aria-hidden>
        <span>{figure(of.least)}</span>
        <span>{figure(of.greatest)}</span>
      </span>
    </span>
  );
}

const AXES = ["x", "y", "z"];

/** The components of a vector beside each other. */
export function Components({ of, name, height = 13 }: { of: Histogram[]; name: string; height?: number }) {
  return (
    <span className="flex gap-1 pt-0.5">
      {of.map((part, k) => (
        <span key={AXES[k]} className="min-w-0 grow basis-0" title={`${AXES[k]}: ${figure(part.least)} to ${figure(part.greatest)}`}>
          <Bars of={part} height={height} label={`Distribution of ${name}, ${AXES[k]}`} />
          <span className="block text-center text-[9px] leading-[10px] text-soft" aria-hidden>
            {AXES[k]}
          </span>
        </span>
      ))}
    </span>
  );
}

function SignalRow({ name, mark, shown, onOpen }: { name: string; mark?: string; shown: boolean; onOpen: () => void }) {
  const census = useStore((s) => s.results[s.chosen]?.steps[s.results[s.chosen]?.signals[name] ?? ""]);
  return (
    <li>
      <Row name={name} of="signal" title="Point at it to see it; click to edit its chain" strong={shown} onClick={onOpen}>
        <span className="min-w-0 grow truncate text-left">
          {name}
          {mark && <span className="text-[11px] font-normal text-soft"> {mark}</span>}
        </span>
        <span className="w-14 flex-none">
          {census?.numbers && <Distribution of={census.numbers} name={name} />}
          {census?.colours && <Swatches of={census.colours} height={14} label={`Colours of ${name}`} />}
        </span>
      </Row>
    </li>
  );
}
