/** Where a population stands in the scene, what the view works with of it, and what that costs. */
import { useEffect, useState } from "react";
import { type CostAnswer, folded, json, type PopulationDocument } from "../../api/client";
import { FollowNumber } from "../../chain/FollowNumber";
import { withPopulation } from "../../state/edits";
import { draft, editPopulation, useStore } from "../../state/store";
import { NumberField } from "../../widgets/NumberField";
import { Toggle } from "../../widgets/Toggle";

type Place = PopulationDocument["place"];
type Three = Place["position"];

const AXES = ["x", "y", "z"];

/** Three numbers of a place, each of which may follow a dial. */
function Numbers({ title, value, step, unit, onDraft, onCommit }: { title: string; value: Three; step: number; unit?: string; onDraft: (v: Three) => void; onCommit: (v: Three, label: string) => void }) {
  const changed = (k: number, to: unknown) => value.map((v, i) => (i === k ? to : v)) as unknown as Three;
  return (
    <div role="group" aria-label={title} className="flex flex-wrap items-center gap-x-1.5 gap-y-1">
      <span className="w-14 flex-none text-soft">{title}</span>
      {AXES.map((axis, k) => (
        <FollowNumber
          key={axis}
          title={`${title} ${axis}`}
          how="marker"
          value={value[k]}
          shown={0}
          change={`Change the ${title.toLowerCase()}`}
          hideLabel
          unit={unit}
          step={step}
          digits={3}
          width="w-[66px]"
          onDraft={(v) => onDraft(changed(k, v))}
          onCommit={(v, label) => onCommit(changed(k, v), label)}
        />
      ))}
    </div>
  );
}

/** Place: typed, or by handles in the view. */
export function PlaceOf({ population }: { population: PopulationDocument }) {
  const placing = useStore((s) => s.placing);
  const { place } = population;
  const put = (to: Place) => draft((scene) => withPopulation(scene, population.id, (p) => ({ ...p, place: to })));
  const commit = (to: Place, label: string) => editPopulation(label, (p) => ({ ...p, place: to }));
  return (
    <section className="panel flex flex-col gap-2 p-3" aria-label="Place">
      <div className="flex items-center justify-between">
        <h2 className="heading">Place in the scene</h2>
        <Toggle label="Handles in the view" on={placing} onChange={(on) => useStore.setState({ placing: on })} />
      </div>
      <Numbers title="Position" value={place.position} step={0.01} onDraft={(position) => put({ ...place, position })} onCommit={(position, label) => commit({ ...place, position }, label)} />
      <Numbers title="Turn" value={place.turn} step={1} unit="°" onDraft={(turn) => put({ ...place, turn })} onCommit={(turn, label) => commit({ ...place, turn }, label)} />
      <span className="flex items-center gap-1.5">
        <span className="w-14 flex-none text-soft">Size</span>
        <FollowNumber title="Size of the whole" how="marker" value={place.size} shown={1} change="Change the size" hideLabel min={0.001} step={0.01} width="w-[66px]" onDraft={(size) => put({ ...place, size })} onCommit={(size, label) => commit({ ...place, size }, label)} />
      </span>
    </section>
  );
}

/** What a population costs, asked again when what is made of it is another. */
function useCosts(): CostAnswer | null {
  const chosen = useStore((s) => s.chosen);
  const result = useStore((s) => s.results[s.chosen]?.made);
  const out = useStore((s) => JSON.stringify(s.scene?.populations.find((p) => p.id === s.chosen)?.maker));
  const [costs, setCosts] = useState<CostAnswer | null>(null);
  useEffect(() => {
    let stale = false;
    const { scene } = useStore.getState();
    if (!scene || !result) return;
    json<CostAnswer>("POST", "/costs", { scene: folded(scene), population: chosen })
      .then((found) => !stale && setCosts(found))
      .catch(() => undefined);
    return () => {
      stale = true;
    };
  }, [chosen, result, out]);
  return costs;
}

const COUNT = new Intl.NumberFormat("en-GB", { maximumSignificantDigits: 2 });

/** So many elements, with the memory and the time that they take at the present rate. */
function told(count: number, { bytes, seconds }: CostAnswer, word: string): string {
  const memory = (count * bytes) / 2 ** 20;
  const time = count * seconds;
  const took = seconds === 0 ? "" : time < 0.095 ? ", under 0.1 s" : `, about ${COUNT.format(time)} s`;
  return `${count.toLocaleString("en-GB")} ${word}, ${memory < 1 ? "under 1" : COUNT.format(memory)} MB${took}`;
}

/** Draft: what the view works with, apart from what goes out; and what a raise would cost. */
export function DraftOf({ population }: { population: PopulationDocument }) {
  const costs = useCosts();
  const mesh = useStore((s) => s.geometry[s.chosen]?.header.drawn === "surface");
  const strands = useStore((s) => s.geometry[s.chosen]?.header.drawn === "ribbons");
  const word = useStore((s) => s.kinds.find((k) => k.name === s.geometry[s.chosen]?.header.kind)?.elements ?? "elements");
  const { draft: of, maker } = population;
  const commit = (to: PopulationDocument["draft"], label: string) => editPopulation(label, (p) => ({ ...p, draft: to }));
  const counted = "count" in maker && maker.maker !== "import";
  const most = "count" in maker && typeof maker.count === "number" ? maker.count : 1_000_000;
  return (
    <section className="panel flex flex-col gap-2 p-3" aria-label="Draft">
      <h2 className="heading">In the view</h2>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-2">
        {counted && (
          <>
            <Toggle label="Fewer" on={of.count !== null} onChange={(on) => commit({ ...of, count: on ? Math.max(1, Math.round(most / 4)) : null }, on ? "Show fewer" : "Show all")} />
            {of.count !== null && <NumberField label="At most" whole min={1} value={of.count} width="w-[84px]" onCommit={(count) => commit({ ...of, count }, "Change the draft")} />}
          </>
        )}
        {!mesh && <NumberField label={strands ? "One strand in" : "One in"} whole min={1} max={100_000} value={of.every} width="w-[64px]" onCommit={(every) => commit({ ...of, every }, "Change the draft")} />}
        {mesh && (
          <>
            <Toggle label="Coarser" on={of.subdivision !== null} onChange={(on) => commit({ ...of, subdivision: on ? 0 : null }, on ? "Show it coarser" : "Show it as it goes out")} />
            {of.subdivision !== null && <NumberField label="Subdivision at most" whole min={0} max={4} value={of.subdivision} width="w-[52px]" onCommit={(subdivision) => commit({ ...of, subdivision }, "Change the draft")} />}
          </>
        )}
      </div>
      {costs && (
        <dl className="grid grid-cols-[auto_1fr] gap-x-3 gap-y-0.5 text-soft tabular" aria-label="Costs">
          <dt>Now</dt>
          <dd className="text-ink">{told(costs.view, costs, word)}</dd>
          {costs.out !== costs.view && (
            <>
              <dt>Goes out</dt>
              <dd className="text-ink">{told(costs.out, costs, word)}</dd>
            </>
          )}
          {costs.more !== null && (
            <>
              <dt>One level more</dt>
              <dd className="text-ink">{told(costs.more, costs, word)}</dd>
            </>
          )}
        </dl>
      )}
    </section>
  );
}
