import { PaletteEditor } from "../PaletteEditor";
import { page } from "./page";

const FIRST = ["#131f4d", "#0b6a72", "#22a98a", "#f3b13c", "#ef5236", "#f7e7ce"];

export default page("palette", {
  summary: (step) => `${step.name}, ${step.swatches.length} swatches`,
  first: () => ({ columns: 6, swatches: FIRST.map((colour) => ({ colour, weight: 1, locked: false })) }),
  Editor: ({ step, census, onDraft, onCommit }) => <PaletteEditor palette={step} census={census} onDraft={onDraft} onCommit={onCommit} />,
  draws: true,
});
