import { isFollowing } from "../../state/follow";
import { page, type EditorProps, type Of } from "./page";
import { short } from "./words";

interface Swatch {
  name: string;
  eumelanin: number;
  pheomelanin: number;
  colour: string;
}

/** Hair colours by name: a click takes their two amounts. */
function Swatches({ step, schema, onCommit }: EditorProps<Of<"melanin">>) {
  const properties = (schema.properties ?? {}) as Record<string, { swatches?: Swatch[] }>;
  return (
    <div role="group" aria-label="Hair colours" className="mt-2 flex flex-wrap gap-1.5">
      {(properties.eumelanin?.swatches ?? []).map(({ name, eumelanin, pheomelanin, colour }) => {
        const total = eumelanin + pheomelanin;
        const to = { eumelanin, pheomelanin, amount: total, redness: total > 0 ? Number((pheomelanin / total).toFixed(4)) : 0 };
        const taken = step.by === "amounts" ? step.eumelanin === eumelanin && step.pheomelanin === pheomelanin : step.amount === to.amount && step.redness === to.redness;
        return (
          <button
            key={name}
            type="button"
            aria-pressed={taken}
            className={`flex items-center gap-1.5 rounded border px-1.5 py-1 ${taken ? "border-ink font-medium" : "border-line hover:border-strong"}`}
            onClick={() => onCommit({ ...step, ...to }, `Take ${name.toLowerCase()}`)}
          >
            <span aria-hidden className="size-4 rounded-[3px] border border-line" style={{ background: colour }} />
            {name}
          </button>
        );
      })}
    </div>
  );
}

export default page("melanin", {
  summary: (step) => (step.by === "amounts" ? `eumelanin ${short(step.eumelanin)} · pheomelanin ${short(step.pheomelanin)}` : `amount ${short(step.amount)} · redness ${isFollowing(step.redness) ? short(step.redness) : `${short(step.redness * 100)}%`}`),
  Below: Swatches,
});
