import { PaletteEditor } from "../PaletteEditor";
import { page } from "./page";

const FIRST = ["#131f4d", "#0b6a72", "#22a98a", "#f3b13c", "#ef5236", "#f7e7ce"];

export default page("palette", {
  summary: (step) => `${step.name}, ${step.swatches.length} swatches`,
  first: () => ({ columns: 6, swatches: FIRST.map((colour) => ({ colour, weight: 1, locked: false })) }),
  instead: (fresh, old) => {
    if (old.step !== "ramp") return fresh;
    const places = old.stops.map(({ at }) => (typeof at === "number" ? at : null));
    const fixed = places.every((at) => at !== null);
    const starts = places.map((at, k) => at ?? k / places.length);
    // Bands keep their widths; between stops each colour has what is nearest to it.
    const edges = old.interpolation === "steps" ? [0, ...starts.slice(1), 1] : [0, ...starts.slice(1).map((at, k) => (at + starts[k]!) / 2), 1];
    const weight = (k: number) => (fixed ? Math.round(1e4 * (edges[k + 1]! - edges[k]!)) / 1e4 : 1);
    return { ...fresh, parts: fixed ? "weights" : "equal", columns: Math.min(8, old.stops.length), swatches: old.stops.map((stop, k) => ({ colour: stop.colour as never, weight: weight(k), locked: stop.locked })) };
  },
  Editor: ({ step, census, onDraft, onCommit }) => <PaletteEditor palette={step} census={census} onDraft={onDraft} onCommit={onCommit} />,
  draws: true,
});
