/** Get the elements: import them, or scatter stand-ins. */
import { Sparkles, Table2 } from "lucide-react";
import type { MakerDescription, PopulationDocument } from "../../api/client";
import { FollowControl } from "../../chain/FollowControl";
import { Parameters, type Property } from "../../chain/Parameters";
import { free, withPopulation } from "../../state/edits";
import { isFollowing } from "../../state/follow";
import { addPopulation, chosenPopulation, draft, editPopulation, NONE, setShown, useStore } from "../../state/store";
import { Button } from "../../widgets/Button";
import { FileButton } from "../../widgets/FileButton";
import { Choice } from "../../widgets/Choice";
import { Bars } from "../../widgets/Distribution";
import { Toggle } from "../../widgets/Toggle";
import { population } from "./fresh";
import { ENDINGS, offerFile } from "./ImportDialog";
import { SequenceButton } from "./Sequence";
import { DraftOf, PlaceOf } from "./Standing";
import { OWN_SHAPE, SHAPE_OPTIONS, SHAPE_WORDS } from "../../chain/steps/words";
import { Populations } from "../Populations";
import { textsSaid } from "../words";

const COUNTS = [2_500, 12_000, 60_000, 250_000];

/** What a new population of a maker begins with, where that differs from the defaults of the core. */
const FIRST: Record<string, object> = { scatter: { surface: "ball", count: 2_500, evenness: 0.66, size: 0.07, lift: 0.004 }, strands: { surface: "ball" } };

/** A new population by a maker that is offered: with the core's defaults. */
export function newPopulation(maker: MakerDescription) {
  const { scene } = useStore.getState();
  if (!scene) return;
  const name = free(maker.title, scene.populations.map((p) => p.name), " ");
  const properties = (maker.parameters.properties ?? {}) as Record<string, Property>;
  const defaults = Object.entries(properties).flatMap(([key, of]) => (of.default === undefined ? [] : [[key, of.default]]));
  const made = { maker: maker.name, ...Object.fromEntries(defaults), ...FIRST[maker.name], ...below(properties) } as PopulationDocument["maker"];
  addPopulation(population(scene, name, made, "sequin"));
}

/** What a new population is put onto: the mesh or the strands that are chosen, whichever the maker takes; what must stand on strands, on any. */
function below(properties: Record<string, Property>): { on?: string } {
  const { scene, chosen, geometry } = useStore.getState();
  const wanted = properties.on?.control;
  const fits = (id: string) => wanted !== undefined && geometry[id]?.header.kind === wanted;
  const on = fits(chosen) ? chosen : wanted === "strands" ? scene?.populations.find((p) => fits(p.id))?.id : undefined;
  return on ? { on } : {};
}

export function newScatter() {
  const maker = useStore.getState().makers.find((m) => m.name === "scatter");
  if (maker) newPopulation(maker);
}

export function GatherLeft() {
  const makers = useStore((s) => s.makers);
  return (
    <div className="flex flex-col gap-4 p-2.5">
      <Populations removable />
      <section aria-label="Get elements" className="flex flex-col gap-1.5">
        <h2 className="heading">Get elements</h2>
        <FileButton
          strong
          label="Import a file…"
          name="File to import"
          accept={ENDINGS}
          onFile={(file) => void offerFile(file)}
        />
        <SequenceButton accept={ENDINGS} />
        {makers
          .filter((m) => m.offered)
          .map((m) => (
            <Button key={m.name} onClick={() => newPopulation(m)}>
              <Sparkles size={14} aria-hidden />
              {m.title.endsWith("s") ? `Make ${m.title.toLowerCase()}` : `Make a ${m.title.toLowerCase()}`}
            </Button>
          ))}
        <p className="mt-1 text-[11.5px] leading-snug text-soft">
          Or drop a file anywhere on the page: OBJ, PLY, GLB, USD or CSV. Every column becomes a value that chains can read.
        </p>
      </section>
    </div>
  );
}

export function GatherRight() {
  const population = useStore(chosenPopulation);
  if (!population) return <p className="p-4 text-soft">Nothing is chosen. Import a file or make a scatter.</p>;
  return (
    <div className="flex flex-col gap-4 p-3">
      <Made population={population} />
      <PlaceOf population={population} />
      <DraftOf population={population} />
      <Carried />
    </div>
  );
}


/** What makes the population, and how it is drawn. */
function Made({ population }: { population: PopulationDocument }) {
  const error = useStore((s) => s.errors[s.chosen]);
  const notes = useStore((s) => s.geometry[s.chosen]?.header.notes ?? NONE);
  const drawn = useStore((s) => s.geometry[s.chosen]?.header.drawn ?? "instances");
  const models = useStore((s) => s.geometry[s.chosen]?.arrays.models !== undefined);
  const { maker } = population;
  const parted = "copies" in maker && maker.copies !== "single";
  return (
    <section className="panel flex flex-col gap-3 p-3" aria-label="Population">
      <label className="flex items-center gap-2">
        <span className="w-14 text-soft">Name</span>
        <input
          key={population.id}
          className="field grow"
          defaultValue={population.name}
          maxLength={100}
          onBlur={(e) => {
            const name = e.target.value.trim();
            if (name && name !== population.name) editPopulation("Rename", (p) => ({ ...p, name }));
          }}
          onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
        />
      </label>
      {drawn === "instances" && !parted && <Dialled title="Drawn as" value={population.shape} otherwise="sequin" options={Object.keys(SHAPE_WORDS)} onCommit={(shape, label) => editPopulation(label, (p) => ({ ...p, shape: shape as PopulationDocument["shape"] }))}>
        <Choice
          label="Drawn as"
          value={typeof population.shape === "string" ? population.shape : "sequin"}
          options={models ? [OWN_SHAPE, ...SHAPE_OPTIONS] : SHAPE_OPTIONS}
          onChange={(shape) => editPopulation("Change the shape", (p) => ({ ...p, shape }))}
        />
      </Dialled>}
      <Dialled title="Shown" value={population.shown} otherwise onCommit={(shown, label) => editPopulation(label, (p) => ({ ...p, shown: shown as PopulationDocument["shown"] }))}>
        <Toggle label="In the view" on={population.shown === true} onChange={(shown) => setShown(population.id, shown)} />
      </Dialled>
      {maker.maker === "sequence" ? (
        <p className="text-soft">
          Imported from <span className="text-ink">{maker.file}</span>, frames {maker.first} to {maker.last}.
        </p>
      ) : maker.maker === "import" ? (
        <p className="text-soft">
          Imported from <span className="text-ink">{maker.file}</span>, {maker.count.toLocaleString("en-GB")} {maker.faces ? "vertices" : maker.curves ? `points of ${maker.curves.count.toLocaleString("en-GB")} strands` : "elements"}.
        </p>
      ) : (
        <MakerControls population={population} maker={maker} />
      )}
      {maker.maker === "import" && maker.faces && <Imported population={population} maker={maker} only={OF_MESHES} />}
      {maker.maker === "import" && maker.curves && <Imported population={population} maker={maker} only={OF_STRANDS} />}
      {error && (
        <p role="alert" className="border-t border-line pt-2 font-medium">
          {error.sentence}
        </p>
      )}
      {notes.length > 0 && (
        <ul className="list-disc border-t border-line pt-2 pl-4 text-soft">
          {notes.map((note) => (
            <li key={note}>{note}</li>
          ))}
        </ul>
      )}
    </section>
  );
}

interface DialledProps {
  title: string;
  value: unknown;
  otherwise: unknown;
  options?: string[];
  onCommit: (value: unknown, label: string) => void;
  children: React.ReactNode;
}

/** A row of the form whose parameter may follow a dial. */
function Dialled({ title, value, otherwise, options, onCommit, children }: DialledProps) {
  return (
    <span className="dialled flex items-center gap-2">
      {!isFollowing(value) && <span className="w-14 text-soft">{title}</span>}
      <FollowControl title={title} how="dial" value={value} most={Infinity} otherwise={otherwise} options={options} onDraft={() => undefined} onCommit={onCommit}>
        {children}
      </FollowControl>
    </span>
  );
}

/** What each element carries, as a table of names. */
function Carried() {
  const header = useStore((s) => s.geometry[s.chosen]?.header);
  const table = useStore((s) => s.table);
  return (
    <section aria-label="What each element carries">
      <div className="mb-1.5 flex items-center justify-between">
        <h2 className="heading">What each element carries</h2>
        <Button aria-pressed={table} strong={table} onClick={() => useStore.setState({ table: !table })}>
          <Table2 size={13} aria-hidden />
          All elements
        </Button>
      </div>
      <table className="w-full border-separate border-spacing-y-1 text-left">
        <thead className="text-[11px] text-soft">
          <tr>
            <th className="font-normal">Name</th>
            <th className="font-normal">Kind</th>
            <th className="font-normal">Range</th>
            <th className="w-28 font-normal">Distribution</th>
          </tr>
        </thead>
        <tbody>
          {header?.attributes.map((a) => (
            <tr key={a.name}>
              <td className="pr-2 font-medium">{a.name}</td>
              <td className="pr-2 text-soft">
                {a.kind}
                {a.width > 1 ? ` ${a.width}` : ""}
                {a.derived ? ", derived" : ""}
                {a.unreadable ? `, ${a.unreadable.toLocaleString("en-GB")} missing` : ""}
              </td>
              <td className="pr-2 text-soft tabular">
                {a.census ? `${Number(a.census.least.toPrecision(3))} … ${Number(a.census.greatest.toPrecision(3))}` : textsSaid(a.texts)}
              </td>
              <td>{a.census && <Bars of={a.census} height={18} label={`Distribution of ${a.name}`} />}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

type Brought = Extract<PopulationDocument["maker"], { maker: "import" }>;
const OF_MESHES = ["subdivision", "smooth"];
const OF_STRANDS = ["on", "reach"];

/** What can be changed of a mesh that was brought, or of strands. */
function Imported({ population, maker, only }: { population: PopulationDocument; maker: Brought; only: string[] }) {
  const schema = useStore((s) => s.makers.find((m) => m.name === "import")?.parameters ?? EMPTY);
  return <MakerFields population={population} maker={maker as unknown as Made} schema={schema} only={only} />;
}

type Made = Exclude<PopulationDocument["maker"], { maker: "import" | "sequence" }>;

/** The controls of a maker, drawn from the schema of its parameters; a count has buttons for common numbers. */
function MakerControls({ population, maker }: { population: PopulationDocument; maker: Made }) {
  const schema = useStore((s) => s.makers.find((m) => m.name === maker.maker)?.parameters ?? EMPTY);
  const first = ["surface"].filter((name) => name in maker);
  return (
    <>
      {first.length > 0 && <MakerFields population={population} maker={maker} schema={schema} only={first} />}
      {"count" in maker && typeof maker.count === "number" && (
        <div role="group" aria-label="Common counts" className="flex flex-wrap items-center gap-1.5">
          <span className="w-[58px] text-soft" aria-hidden />
          {COUNTS.map((count) => (
            <Button
              key={count}
              aria-pressed={maker.count === count}
              strong={maker.count === count}
              className="tabular px-1.5"
              onClick={() => editPopulation(`Make ${count} elements`, (p) => ({ ...p, maker: { ...maker, count } }))}
            >
              {count.toLocaleString("en-GB")}
            </Button>
          ))}
        </div>
      )}
      <MakerFields population={population} maker={maker} schema={schema} skip={first} />
    </>
  );
}
const EMPTY: Record<string, unknown> = {};

interface FieldsProps {
  population: PopulationDocument;
  maker: Made;
  schema: Record<string, unknown>;
  skip?: string[];
  only?: string[];
}

function MakerFields({ population, maker, schema, skip = [], only }: FieldsProps) {
  const names = Object.keys((schema.properties ?? {}) as object);
  return (
    <Parameters
      values={maker as unknown as Record<string, unknown>}
      schema={schema}
      columns
      skip={only ? names.filter((name) => !only.includes(name)) : skip}
      onDraft={(v) => draft((scene) => withPopulation(scene, population.id, (p) => ({ ...p, maker: v as unknown as Made })))}
      onCommit={(v, label) => editPopulation(label, (p) => ({ ...p, maker: v as unknown as Made }))}
    />
  );
}
