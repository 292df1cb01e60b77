/** The traced element: a ring around it and a card with its value after every step. */
import { X } from "lucide-react";
import { Vector3 } from "three";
import type { components } from "../../generated/schema";
import type { Look, Step, TraceStep } from "../api/client";
import { at as lying, layerOf, layersOf, outerOf, parsePlace, signalAt, stackOf } from "../state/edits";
import { chosenLook, chosenPopulation, isolatePart, trace, useStore } from "../state/store";
import { titleOf } from "../chain/steps";
import { view } from "./current";
import { useFrames } from "./frames";

export function shownValue(at: TraceStep): string {
  if (at.kind === "number") return (at.number ?? 0).toFixed(3);
  if (at.kind === "vector") return (at.vector ?? []).map((v) => v.toFixed(2)).join(" ");
  return at.colour ?? "";
}

const chainOf = (at: TraceStep | undefined): string => (at && parsePlace(at.place)?.chain) ?? "";

/** What a chain is, in a few words. */
function headingOf(look: Look, chain: string): string {
  const layer = layerOf(chain);
  const names = [signalAt(look, chain)?.name ?? "", layer === null ? "" : layersOf(look, stackOf(chain))[layer]?.name];
  const whole = names.filter(Boolean).join(", ");
  if (outerOf(chain)) return `${whole}, a chain inside`;
  return chain.endsWith(".mask") ? `${whole}, mask` : whole;
}

/** What a step calls what each element gets one of. */
const stopWords: Record<string, string> = { palette: "swatch", choose: "chain" };

/** The way of a particle from its birth on. */
type Flight = components["schemas"]["FlightEntry"];

/** The particle's own way, as a thin line over the view. */
function Way({ flight }: { flight: Flight }) {
  const { stage } = view;
  if (!stage) return null;
  const seen = flight.places.map(([x, y, z]) => stage.placed(new Vector3(x, y, z)));
  if (seen.some((p) => p === null)) return null;
  const points = seen.map((p) => `${p!.x.toFixed(1)},${p!.y.toFixed(1)}`).join(" ");
  return (
    <svg aria-hidden className="pointer-events-none absolute inset-0 size-full">
      <polyline points={points} fill="none" stroke="#111" strokeWidth={3} strokeLinejoin="round" opacity={0.6} />
      <polyline points={points} fill="none" stroke="#fff" strokeWidth={1.2} strokeLinejoin="round" />
    </svg>
  );
}

/** Its speed and height from its birth to now, as small curves. */
function Life({ flight }: { flight: Flight }) {
  const { frames } = flight;
  const curves: [string, number[]][] = [
    ["Speed", flight.speeds],
    ["Height", flight.places.map((p) => p[2]!)],
  ];
  return (
    <div className="mb-2 grid grid-cols-2 gap-2">
      {curves.map(([name, values]) => {
        const [low, high] = [Math.min(...values), Math.max(...values)];
        const span = high - low || 1;
        const points = values.map((v, k) => `${((100 * k) / (values.length - 1)).toFixed(1)},${(26 - (24 * (v - low)) / span).toFixed(1)}`).join(" ");
        return (
          <div key={name} role="img" aria-label={`${name} from frame ${frames[0]} to ${frames.at(-1)}: ${low.toPrecision(3)} to ${high.toPrecision(3)}`}>
            <svg viewBox="0 0 100 28" preserveAspectRatio="none" className="h-7 w-full" aria-hidden>
              <polyline points={points} fill="none" stroke="#fff" strokeWidth={1.4} vectorEffect="non-scaling-stroke" />
            </svg>
            <div className="flex justify-between text-[10.5px] text-[#bdbdbd] tabular">
              <span>{name}</span>
              <span>{values.at(-1)!.toPrecision(3)}</span>
            </div>
          </div>
        );
      })}
    </div>
  );
}

export function ViewTrace() {
  const population = useStore(chosenPopulation);
  const look = useStore(chosenLook);
  const traced = useStore((s) => s.traced);
  const part = useStore((s) => s.part);
  const found = useStore((s) => s.results[s.chosen]?.trace ?? null);
  useFrames(traced !== null);
  if (traced === null || !population || !look || !found || found.element !== traced) return null;
  const place = view.stage?.placeOf(population.id, traced);
  const stepAt = (at: TraceStep) => lying(look, at.place) as Step | undefined;
  const several = new Set(found.steps.map(chainOf)).size > 1;
  return (
    <>
      {place && (
        <span
          aria-hidden
          className="pointer-events-none absolute size-5 -translate-x-1/2 -translate-y-1/2 rounded-full border-2 border-white shadow-[0_0_0_1.5px_#111,inset_0_0_0_1.5px_#111]"
          style={{ left: place.x, top: place.y }}
        />
      )}
      {found.flight && <Way flight={found.flight} />}
      <section
        aria-label={`Trace of element ${found.id}`}
        className="absolute bottom-3 left-3 w-56 rounded-lg bg-[#141414] p-3 text-[11.5px] text-white shadow-lg"
      >
        <div className="mb-1.5 flex items-center justify-between">
          <h3 className="text-xs font-semibold tabular">Element {found.id.toLocaleString("en-GB")}</h3>
          <button type="button" className="rounded p-0.5 hover:bg-white/15" aria-label="Close the trace" onClick={() => trace(null)}>
            <X size={13} />
          </button>
        </div>
        {found.flight && found.flight.frames.length > 1 && <Life flight={found.flight} />}
        {found.strand && (
          <div className="mb-2" role="img" aria-label={`Tones of the strand from root to tip, ${found.strand.points} points; this is point ${found.strand.point + 1}`}>
            <div className="relative flex h-5 overflow-visible rounded-[3px]">
              {found.strand.tones.map((tone, k) => (
                // oxlint-disable-next-line react/no-array-index-key -- a place along the strand
                <span key={k} className="grow first:rounded-l-[3px] last:rounded-r-[3px]" style={{ background: tone }} />
              ))}
              <span className="absolute -top-0.5 h-6 w-[3px] -translate-x-1/2 border-x border-black bg-white" style={{ left: `${found.strand.along * 100}%` }} />
            </div>
            <div className="mt-0.5 flex justify-between text-[10.5px] text-[#bdbdbd]">
              <span>root</span>
              <span className="tabular">
                point {found.strand.point + 1} of {found.strand.points}
              </span>
              <span>tip</span>
            </div>
          </div>
        )}
        <dl className="grid max-h-[46vh] grid-cols-[1fr_auto] gap-y-1 overflow-y-auto tabular">
          {found.owners.map((owner) => (
            <div key={owner.level} className="contents">
              <dt className="text-[#bdbdbd]">{owner.level.charAt(0).toUpperCase() + owner.level.slice(1)}</dt>
              <dd className="flex items-center justify-end gap-1.5">
                <span className="max-w-28 truncate">{owner.name || owner.number}</span>
                {owner.level === "part" && (
                  <button type="button" className="rounded border border-white/40 px-1 hover:bg-white/15" aria-pressed={part === owner.number} onClick={() => isolatePart(part === owner.number ? null : owner.number)}>
                    {part === owner.number ? "Show all" : "Single out"}
                  </button>
                )}
              </dd>
            </div>
          ))}
          {found.steps.map((at, k) => (
            <div key={at.place} className="contents">
              {several && chainOf(at) !== chainOf(found.steps[k - 1]) && (
                <dt className="col-span-2 mt-0.5 font-medium first:mt-0">{headingOf(look, chainOf(at))}</dt>
              )}
              <dt className="text-[#bdbdbd]">{titleOf(stepAt(at)?.step ?? "random")}</dt>
              <dd className="flex items-center justify-end gap-1.5">
                {at.stop !== undefined && <span className="text-[#bdbdbd]">{stopWords[stepAt(at)?.step ?? ""] ?? "stop"} {at.stop + 1}</span>}
                {shownValue(at)}
                {at.colour && <span className="size-3 rounded-[3px]" style={{ background: at.colour }} />}
              </dd>
            </div>
          ))}
          <dt className="border-t border-white/20 pt-1 font-medium">Result</dt>
          <dd className="flex items-center justify-end gap-1.5 border-t border-white/20 pt-1 font-medium">
            {found.result}
            <span className="size-3 rounded-[3px]" style={{ background: found.result }} />
          </dd>
        </dl>
      </section>
    </>
  );
}
