/** Something the core noticed: a black-edged card with a sign, the reason, and the fix. */
import { TriangleAlert } from "lucide-react";
import type { Advisory, Fix, PopulationDocument, Refused } from "../api/client";
import { parsePlace, patched } from "../state/edits";
import { chooseChain, chosenPopulation, editLook, editPopulation, useStore } from "../state/store";
import { Button } from "../widgets/Button";

export function AdvisoryCard({ advisory }: { advisory: Advisory }) {
  const at = parsePlace(advisory.place);
  return (
    <Card sentence={advisory.sentence} role="status">
      {at && (
        <Button onClick={() => chooseChain(at.chain, at.step)}>Show</Button>
      )}
      {advisory.fixes.map((fix, k) => (
        <FixButton key={fix.label} fix={fix} strong={k === 0} />
      ))}
    </Card>
  );
}

export function ErrorCard({ error }: { error: Refused }) {
  const at = parsePlace(error.place);
  return (
    <Card sentence={error.sentence} place={error.place} role="alert">
      {at && <Button onClick={() => chooseChain(at.chain, at.step)}>Show</Button>}
      {error.fix && <FixButton fix={error.fix} strong />}
    </Card>
  );
}

function FixButton({ fix, strong }: { fix: Fix; strong: boolean }) {
  const more = useStore((s) => {
    const level = subdivisionOf(chosenPopulation(s));
    return level !== null && level < 4;
  });
  const apply = () => (fix.action === "subdivide" ? subdivide(fix.label) : editLook(fix.label, (look) => patched(look, fix.operations)));
  return (
    <Button strong={strong} disabled={fix.action === "subdivide" && !more} onClick={apply}>
      {fix.label}
    </Button>
  );
}

/** The subdivision of a mesh, where it is a number. */
function subdivisionOf(population: PopulationDocument | null): number | null {
  const maker = population?.maker;
  return maker && "subdivision" in maker && typeof maker.subdivision === "number" ? maker.subdivision : null;
}

/** Subdivide the chosen mesh once more, in the view too. */
function subdivide(label: string) {
  editPopulation(label, (p) => {
    const level = (subdivisionOf(p) ?? 0) + 1;
    const most = p.draft.subdivision;
    return { ...p, maker: { ...p.maker, subdivision: level } as PopulationDocument["maker"], draft: { ...p.draft, subdivision: most === null ? null : Math.max(most, level) } };
  });
}

function Card(props: { sentence: string; place?: string; role: "alert" | "status"; children?: React.ReactNode }) {
  return (
    <div role={props.role} className="flex items-start gap-2.5 rounded-lg border-2 border-ink bg-panel px-3 py-2.5">
      <TriangleAlert size={16} className="mt-px flex-none" aria-hidden />
      <div className="min-w-0 grow">
        <p>{props.sentence}</p>
        {props.place && <p className="mt-0.5 truncate text-[11px] text-soft">{props.place}</p>}
        {props.children && <div className="mt-2 flex flex-wrap gap-2 empty:hidden">{props.children}</div>}
      </div>
    </div>
  );
}
