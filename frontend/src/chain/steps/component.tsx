import { PartChoice } from "../PartChoice";
import { page } from "./page";
import { PARTS } from "./words";

export default page("component", {
  summary: (step) => PARTS[step.part].replace(/^[A-Z](?=[a-z])/, (c) => c.toLowerCase()),
  edits: (_step, census) => census?.parts !== undefined,
  Editor: ({ step, census, onCommit }) => (
    <PartChoice part={step.part} parts={census?.parts ?? {}} onChoose={(part) => onCommit({ ...step, part }, "Read another part")} />
  ),
});
