/** Get the elements: import them, or scatter stand-ins. */
import { Sparkles, Table2 } from "lucide-react";
import type { PopulationDocument } from "../../api/client";
import { FollowControl } from "../../chain/FollowControl";
import { Parameters } from "../../chain/Parameters";
import { withPopulation } from "../../state/edits";
import { isFollowing } from "../../state/follow";
import { chosenPopulation, draft, editPopulation, NONE, setShown, useStore } from "../../state/store";
import { Button } from "../../widgets/Button";
import { FileButton } from "../../widgets/FileButton";
import { Choice } from "../../widgets/Choice";
import { Bars } from "../../widgets/Distribution";
import { Toggle } from "../../widgets/Toggle";
import { useEndings } from "../../state/endings";
import { offerFile } from "./ImportDialog";
import { SequenceButton } from "./Sequence";
import { openMaking } from "./MakingDialog";
import { DraftOf, PlaceOf } from "./Standing";
import { OWN_SHAPE, SHAPE_OPTIONS, SHAPE_WORDS, SOFT_OPTIONS } from "../../chain/steps/words";
import { Populations, renamePopulation } from "../Populations";
import { Components } from "../Values";
import { textsSaid } from "../words";

const COUNTS = [2_500, 12_000, 60_000, 250_000];

export function GatherLeft() {
  const endings = useEndings();
  return (
    <div className="flex flex-col gap-2 p-2.5 pt-1.5">
      <section aria-label="Get elements" className="grid grid-cols-2 gap-1.5">
        <FileButton strong label="Import…" name="File to import" accept={endings} onFile={(file) => void offerFile(file)} />
        <Button strong onClick={() => openMaking()}>
          <Sparkles size={14} aria-hidden />
          Make…
        </Button>
        <span className="col-span-2 grid">
          <SequenceButton accept={endings} />
        </span>
      </section>
      <Populations />
    </div>
  );
}

export function GatherRight() {
  const population = useStore(chosenPopulation);
  const several = useStore((s) => (s.scene?.populations.length ?? 0) > 0);
  if (!population) return <p className="p-4 text-soft">{several ? "Choose a population on the left." : "What you bring or make is described here."}</p>;
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
  const kind = useStore((s) => s.geometry[s.chosen]?.header.kind);
  const models = useStore((s) => s.geometry[s.chosen]?.arrays.models !== undefined);
  const { maker } = population;
  const parted = "copies" in maker && maker.copies !== "single";
  return (
    <section className="panel flex flex-col gap-3 p-3" aria-label="Population">
      <label className="flex items-center gap-2">
        <span className="w-14 text-soft">Name</span>
        <input
          key={population.id + population.name}
          className="field grow"
          defaultValue={population.name}
          maxLength={100}
          onBlur={(e) => {
            if (e.target.value.trim() !== population.name) renamePopulation(population.id, e.target.value);
          }}
          onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
        />
      </label>
      {drawn === "instances" && !parted && <Dialled title="Drawn as" value={population.shape} otherwise="sequin" options={Object.keys(SHAPE_WORDS)} onCommit={(shape, label) => editPopulation(label, (p) => ({ ...p, shape: shape as PopulationDocument["shape"] }))}>
        <Choice
          label="Drawn as"
          value={typeof population.shape === "string" ? population.shape : "sequin"}
          options={models ? [OWN_SHAPE, ...SHAPE_OPTIONS] : kind === "particles" ? [...SHAPE_OPTIONS, ...SOFT_OPTIONS] : SHAPE_OPTIONS}
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
      {maker.maker === "sequence" && drawn === "instances" && <Sequence population={population} maker={maker} />}
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
                {a.parts.length > 0 ? "" : a.census ? `${Number(a.census.least.toPrecision(3))} … ${Number(a.census.greatest.toPrecision(3))}` : textsSaid(a.texts)}
              </td>
              <td>{a.parts.length > 0 ? <Components of={a.parts} name={a.name} height={16} /> : a.census && <Bars of={a.census} height={18} label={`Distribution of ${a.name}`} />}</td>
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

/** Whether points that come frame by frame are followed as particles. */
function Sequence({ population, maker }: { population: PopulationDocument; maker: Extract<PopulationDocument["maker"], { maker: "sequence" }> }) {
  const schema = useStore((s) => s.makers.find((m) => m.name === "sequence")?.parameters ?? EMPTY);
  return <MakerFields population={population} maker={maker as unknown as Made} schema={schema} only={["particles"]} />;
}

/** What can be changed of a mesh that was brought, or of strands. */
function Imported({ population, maker, only }: { population: PopulationDocument; maker: Brought; only: string[] }) {
  const schema = useStore((s) => s.makers.find((m) => m.name === "import")?.parameters ?? EMPTY);
  return <MakerFields population={population} maker={maker as unknown as Made} schema={schema} only={only} />;
}

type Made = Exclude<PopulationDocument["maker"], { maker: "import" | "sequence" }>;

/** The controls of a maker, drawn from the schema of its parameters; a count has buttons for common numbers. */
function MakerControls({ population, maker }: { population: PopulationDocument; maker: Made }) {
  const schema = useStore((s) => s.makers.find((m) => m.name === maker.maker)?.parameters ?? EMPTY);
  return (
    <>
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
      <MakerFields population={population} maker={maker} schema={schema} />
    </>
  );
}
const EMPTY: Record<string, unknown> = {};

interface FieldsProps {
  population: PopulationDocument;
  maker: Made;
  schema: Record<string, unknown>;
  only?: string[];
}

function MakerFields({ population, maker, schema, only }: FieldsProps) {
  const names = Object.keys((schema.properties ?? {}) as object);
  return (
    <Parameters
      values={maker as unknown as Record<string, unknown>}
      schema={schema}
      columns
      skip={only ? names.filter((name) => !only.includes(name)) : []}
      onDraft={(v) => draft((scene) => withPopulation(scene, population.id, (p) => ({ ...p, maker: v as unknown as Made })))}
      onCommit={(v, label) => editPopulation(label, (p) => ({ ...p, maker: v as unknown as Made }))}
    />
  );
}
