/** The sources that particles come out of: each folds, can be named, taken away, and one more added. */
import { ChevronDown, ChevronRight, Plus, Trash2 } from "lucide-react";
import { type ReactNode, useState } from "react";
import { free } from "../state/edits";
import { Button, IconButton } from "../widgets/Button";
import { NameField } from "../widgets/NameField";
import type { Property } from "./Parameters";
import { Origin } from "./Reading";

export interface Source {
  name: string;
  births: "burst" | "stream";
  out_of: "point" | "marker" | "population";
  on: string | null;
  [parameter: string]: unknown;
}

interface Props {
  of: Property;
  value: Source[];
  onDraft: (value: unknown) => void;
  onCommit: (value: unknown, label: string) => void;
  /** The controls of one source. */
  fields: (source: Source, onDraft: (source: Source) => void, onCommit: (source: Source, label: string) => void) => ReactNode;
}

/** As many as an emission takes. */
const MOST = 8;

export function Sources({ of, value, onDraft, onCommit, fields }: Props) {
  const [open, setOpen] = useState(0);
  const changed = (k: number, to: Source) => value.map((source, i) => (i === k ? to : source));
  const add = (births: Source["births"]) => {
    const properties = (of.fields?.properties ?? {}) as Record<string, Property>;
    const defaults = Object.fromEntries(Object.entries(properties).flatMap(([key, { default: given }]) => (given === undefined ? [] : [[key, given]])));
    const name = free(births === "burst" ? "Burst" : "Stream", value.map((s) => s.name), " ");
    setOpen(value.length);
    onCommit([...value, { ...defaults, name, births }], `Add a ${births}`);
  };
  return (
    <div className="flex flex-col gap-1" role="list" aria-label="Sources">
      {value.map((source, k) => {
        const Arrow = open === k ? ChevronDown : ChevronRight;
        return (
          <div key={k} role="listitem" aria-label={source.name} className="rounded-md border border-line px-1.5 py-1">
            <div className="flex h-6.5 items-center gap-1">
              <button type="button" aria-expanded={open === k} aria-label={`${open === k ? "Fold" : "Open"} ${source.name}`} className="cursor-pointer rounded" onClick={() => setOpen(open === k ? -1 : k)}>
                <Arrow size={12} aria-hidden />
              </button>
              <NameField label={`Name of source ${k + 1}`} name={source.name} onRename={(name) => renamed(value, k, name, (to) => onCommit(to, `Rename ${source.name}`))} />
              <span className="flex-none text-[11px] text-soft">{source.births}</span>
              {value.length > 1 && (
                <IconButton label={`Take ${source.name} away`} className="size-5" onClick={() => onCommit(value.filter((_, i) => i !== k), `Take ${source.name} away`)}>
                  <Trash2 size={12} />
                </IconButton>
              )}
            </div>
            {open === k && (
              <div className="pt-1">
                <Origin.Provider value={source.on}>
                  {fields(
                    source,
                    (to) => onDraft(changed(k, to)),
                    (to, label) => onCommit(changed(k, to), label),
                  )}
                </Origin.Provider>
              </div>
            )}
          </div>
        );
      })}
      {value.length < MOST && (
        <div className="flex gap-1.5 pt-0.5">
          {(["burst", "stream"] as const).map((births) => (
            <Button key={births} onClick={() => add(births)}>
              <Plus size={12} aria-hidden />
              Add a {births}
            </Button>
          ))}
        </div>
      )}
    </div>
  );
}

async function renamed(value: Source[], k: number, name: string, put: (to: Source[]) => void) {
  if (value.some((source, i) => i !== k && source.name === name)) throw new Error(`There is a source ${name} already.`);
  put(value.map((source, i) => (i === k ? { ...source, name } : source)));
}
