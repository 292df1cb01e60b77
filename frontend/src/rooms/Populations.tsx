/** The populations, each with its true colour shares. */
import { Trash2 } from "lucide-react";
import { choosePopulation, NONE, removePopulation, useStore } from "../state/store";
import { IconButton } from "../widgets/Button";
import { ThinStrip } from "../widgets/ShareStrip";

export function Populations({ removable }: { removable?: boolean }) {
  const populations = useStore((s) => s.scene?.populations ?? NONE);
  const chosen = useStore((s) => s.chosen);
  const results = useStore((s) => s.results);
  const geometry = useStore((s) => s.geometry);
  return (
    <section aria-label="Populations">
      <h2 className="heading mb-1.5">Populations</h2>
      <ul className="flex flex-col gap-1.5">
        {populations.map((p) => (
          <li key={p.id} className={`panel relative ${p.id === chosen ? "border-2 border-ink" : "m-px"}`}>
            <button
              type="button"
              aria-pressed={p.id === chosen}
              className="block w-full cursor-pointer px-2.5 py-2 text-left"
              onClick={() => choosePopulation(p.id)}
            >
              <span className={`block truncate text-[13px] font-semibold ${removable ? "pr-6" : ""}`}>{p.name}</span>
              <span className="mb-1.5 block text-soft tabular">
                {(geometry[p.id]?.header.count ?? p.maker.count).toLocaleString("en-GB")} clones
              </span>
              <ThinStrip result={results[p.id]} />
            </button>
            {removable && (
              <IconButton className="absolute top-1 right-1" label={`Remove ${p.name}`} onClick={() => removePopulation(p.id)}>
                <Trash2 size={13} />
              </IconButton>
            )}
          </li>
        ))}
        {populations.length === 0 && <li className="text-soft">None yet.</li>}
      </ul>
    </section>
  );
}
