/** The finishes of a look: named sets of channel values that its lanes vary. */
import { LibraryBig, Plus } from "lucide-react";
import { type ReactNode, useState } from "react";
import type { Finish, Lane, Look } from "../api/client";
import { openLibrary } from "../library/Library";
import { free, moved } from "../state/edits";
import { chosenLook, draftLook, editLook, useStore } from "../state/store";
import { Button } from "../widgets/Button";
import { NameField } from "../widgets/NameField";
import { Parameters } from "./Parameters";
import { Weighed } from "./Weighed";

/** The finish that the core calls plain: each parameter as it begins. */
function plainFinish(): Finish {
  const { properties } = useStore.getState().material.finish as { properties: Record<string, { default?: unknown }> };
  return Object.fromEntries(Object.entries(properties).map(([name, { default: begins }]) => [name, begins ?? null])) as unknown as Finish;
}

const MOST = 8;

const withFinishes = (finishes: Finish[]) => (l: Look) => ({ ...l, finishes });

/** The finishes of the library: one is put in place of that at a number, or as one more. */
export function finishLibrary(kept: Finish | undefined, at: number | null) {
  const take = (finish: Finish) => put(chosenLook(useStore.getState())!, finish, at);
  openLibrary({ kind: "finish", document: kept ?? plainFinish(), onUse: (item) => take(item.document as unknown as Finish) });
}

/** Put a finish in: in place of the one at a number, or as one more. */
function put(look: Look, finish: Finish, at: number | null) {
  const others = look.finishes.filter((_, k) => k !== at).map((f) => f.name);
  const named = { ...finish, name: free(finish.name, others, " ") };
  const finishes = at === null ? [...look.finishes, named] : look.finishes.map((f, k) => (k === at ? { ...named, weight: f.weight } : f));
  editLook(`${at === null ? "Add" : "Take"} the finish ${named.name}`, (l) => ({
    ...withFinishes(finishes)(l),
    shapes: at === null ? l.shapes : renamed(l.shapes, look.finishes[at]!.name, named.name),
  }));
}

const renamed = (shapes: Look["shapes"], old: string, name: string) => shapes.map((shape) => (shape.finish === old ? { ...shape, finish: name } : shape));

export function Finishes({ look, lane, choosing }: { look: Look; lane: Lane; choosing: ReactNode }) {
  const [open, setOpen] = useState(0);
  const schema = useStore((s) => s.material.finish);
  const { finishes } = look;
  const k = Math.min(open, finishes.length - 1);
  const finish = finishes[k];
  const changed = (to: Partial<Finish>) => withFinishes(finishes.map((f, i) => (i === k ? { ...f, ...to } : f)));

  const library = (at: number | null) => finishLibrary(finish, at);

  return (
    <section aria-label="Finishes of the look" className="flex flex-col gap-1.5">
      <div className="flex h-6 items-center gap-1">
        <h2 className="heading grow">Finishes</h2>
        <Button disabled={finishes.length >= MOST} onClick={() => library(null)}>
          <LibraryBig size={13} aria-hidden />
          Add from the library…
        </Button>
        <Button
          disabled={finishes.length >= MOST}
          aria-label="Add a plain finish"
          onClick={() => {
            put(look, plainFinish(), null);
            setOpen(finishes.length);
          }}
        >
          <Plus size={13} aria-hidden />
        </Button>
      </div>
      {finishes.length === 0 && <p className="panel p-3 text-center text-soft">All elements have the plain finish. Add one, and lanes vary it.</p>}
      {choosing}
      <Weighed
        of="finish"
        names={finishes.map((f) => f.name)}
        lane={lane}
        open={k}
        onOpen={setOpen}
        onWeights={(weights, label) => editLook(label, withFinishes(finishes.map((f, i) => ({ ...f, weight: weights[i] ?? 0 }))))}
        onRemove={(gone) => {
          const name = finishes[gone]!.name;
          editLook(`Remove the finish ${name}`, (l) => ({
            ...withFinishes(finishes.filter((_, i) => i !== gone))(l),
            shapes: l.shapes.map((shape) => (shape.finish === name ? { ...shape, finish: null } : shape)),
          }));
        }}
        onMove={(from, to) => {
          editLook("Reorder finishes", withFinishes(moved(finishes, from, to)));
          setOpen(to);
        }}
      >
        {finish && (
          <div className="flex flex-col gap-2">
            <div className="flex items-center gap-2">
              <NameField
                label="Name of the finish"
                name={finish.name}
                onRename={async (name) => editLook(`Rename ${finish.name}`, (l) => ({ ...changed({ name })(l), shapes: renamed(l.shapes, finish.name, name) }))}
              />
              <span className="grow" />
              <Button onClick={() => library(k)}>
                <LibraryBig size={13} aria-hidden />
                Change…
              </Button>
            </div>
            {schema && (
              <Parameters
                values={finish as unknown as Record<string, unknown>}
                schema={schema}
                skip={["name", "weight"]}
                columns
                onDraft={(values) => draftLook(changed(values as Partial<Finish>))}
                onCommit={(values, label) => editLook(label, changed(values as Partial<Finish>))}
              />
            )}
          </div>
        )}
      </Weighed>
    </section>
  );
}
