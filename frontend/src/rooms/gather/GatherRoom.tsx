/** Get the elements: import them, or scatter stand-ins. */
import { Sparkles, Table2 } from "lucide-react";
import type { PopulationDocument, ScatterMaker } from "../../api/client";
import { Parameters } from "../../chain/Parameters";
import { withPopulation } from "../../state/edits";
import { addPopulation, chosenPopulation, draft, editPopulation, useStore } from "../../state/store";
import { Button } from "../../widgets/Button";
import { FileButton } from "../../widgets/FileButton";
import { Choice } from "../../widgets/Choice";
import { Bars } from "../../widgets/Distribution";
import { NumberField } from "../../widgets/NumberField";
import { freeId, plainLook } from "./fresh";
import { offerFile } from "./ImportDialog";
import { Populations } from "../Populations";

const SURFACES = [
  { value: "beetle" as const, label: "Beetle" },
  { value: "ball" as const, label: "Ball" },
  { value: "ring" as const, label: "Ring" },
  { value: "sheet" as const, label: "Sheet" },
];
const COUNTS = [2_500, 12_000, 60_000, 250_000];

export function newScatter() {
  const { scene } = useStore.getState();
  if (!scene) return;
  const name = `Scatter ${scene.populations.length + 1}`;
  const maker: ScatterMaker = {
    maker: "scatter", surface: "ball", count: 2_500, seed: 1, spacing: 0, evenness: 0.66, size: 0.07,
    size_variation: 0.25, tilt: 6, lift: 0.004,
  };
  addPopulation({ id: freeId(scene, name), name, maker, look: plainLook(), shape: "sequin" });
}

export function GatherLeft() {
  return (
    <div className="flex flex-col gap-4 p-2.5">
      <Populations removable />
      <section aria-label="Get elements" className="flex flex-col gap-1.5">
        <h2 className="heading">Get elements</h2>
        <FileButton
          strong
          label="Import PLY or CSV…"
          name="File to import"
          accept=".ply,.csv,.txt"
          onFile={(file) => void offerFile(file)}
        />
        <Button onClick={newScatter}>
          <Sparkles size={14} aria-hidden />
          Make a scatter
        </Button>
        <p className="mt-1 text-[11.5px] leading-snug text-soft">
          Or drop a file anywhere on the page. Every column becomes a value that chains can read.
        </p>
      </section>
    </div>
  );
}

export function GatherRight() {
  const population = useStore(chosenPopulation);
  const header = useStore((s) => s.geometry[s.chosen]?.header);
  const schema = useStore((s) => s.scatterSchema);
  const error = useStore((s) => s.errors[s.chosen]);
  const table = useStore((s) => s.table);
  if (!population) return <p className="p-4 text-soft">Nothing is chosen. Import a file or make a scatter.</p>;
  const { maker } = population;

  return (
    <div className="flex flex-col gap-4 p-3">
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
        <span className="flex items-center gap-2">
          <span className="w-14 text-soft">Drawn as</span>
          <Choice
            label="Drawn as"
            value={population.shape}
            options={[
              { value: "sequin", label: "Sequins" },
              { value: "tile", label: "Tiles" },
              { value: "ball", label: "Balls" },
            ]}
            onChange={(shape) => editPopulation("Change the shape", (p) => ({ ...p, shape }))}
          />
        </span>
        {maker.maker === "scatter" ? (
          <ScatterControls population={population} maker={maker} schema={schema} />
        ) : (
          <p className="text-soft">
            Imported from <span className="text-ink">{maker.file}</span>, {maker.count.toLocaleString("en-GB")} elements.
          </p>
        )}
        {error && (
          <p role="alert" className="border-t border-line pt-2 font-medium">
            {error.sentence}
          </p>
        )}
        {header && header.notes.length > 0 && (
          <ul className="list-disc border-t border-line pt-2 pl-4 text-soft">
            {header.notes.map((note) => (
              <li key={note}>{note}</li>
            ))}
          </ul>
        )}
      </section>
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
                </td>
                <td className="pr-2 text-soft tabular">
                  {a.census
                    ? `${Number(a.census.least.toPrecision(3))} … ${Number(a.census.greatest.toPrecision(3))}`
                    : `${a.texts} texts`}
                </td>
                <td>{a.census && <Bars of={a.census} height={18} label={`Distribution of ${a.name}`} />}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </section>
    </div>
  );
}

interface ScatterProps {
  population: PopulationDocument;
  maker: ScatterMaker;
  schema: Record<string, unknown>;
}

function ScatterControls({ population, maker, schema }: ScatterProps) {
  return (
    <>
      <span className="flex items-center gap-2">
        <span className="w-14 text-soft">Surface</span>
        <Choice
          label="Surface"
          value={maker.surface}
          options={SURFACES}
          onChange={(surface) => editPopulation("Change the surface", (p) => ({ ...p, maker: { ...maker, surface } }))}
        />
      </span>
      <div role="group" aria-label="Count" className="flex flex-wrap items-center gap-1.5">
        <span className="w-[58px] text-soft">Count</span>
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
        <NumberField
          label="Count"
          hideLabel
          whole
          min={1}
          max={1_000_000}
          step={1000}
          width="w-[70px]"
          value={maker.count}
          onCommit={(count) => editPopulation(`Make ${count} elements`, (p) => ({ ...p, maker: { ...maker, count } }))}
        />
      </div>
      <Parameters
        values={maker as unknown as Record<string, unknown>}
        schema={schema}
        columns
        skip={["count", "surface"]}
        onDraft={(v) =>
          draft((scene) => withPopulation(scene, population.id, (p) => ({ ...p, maker: v as unknown as ScatterMaker })))
        }
        onCommit={(v, label) => editPopulation(label, (p) => ({ ...p, maker: v as unknown as ScatterMaker }))}
      />
    </>
  );
}
