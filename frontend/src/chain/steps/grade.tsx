import { isFollowing } from "../../state/follow";
import { StepParameters } from "../Parameters";
import { page } from "./page";
import { moving, short } from "./words";

/** What a grade does to numbers. */
const OF_NUMBERS = ["brightness", "contrast", "pivot", "gamma"];

export default page("grade", {
  edits: (_step, census) => census?.kind === "number",
  Editor: ({ step, schema, onDraft, onCommit }) => {
    const skip = Object.keys((schema.properties ?? {}) as object).filter((name) => !OF_NUMBERS.includes(name));
    return <StepParameters step={step} schema={schema} skip={skip} onDraft={onDraft} onCommit={onCommit} />;
  },
  summary: (step) => {
    const parts = [
      step.gain !== 1 ? `gain ${short(step.gain)}` : "",
      moving(step.hue_turn) ? `hue ${short(step.hue_turn)}${isFollowing(step.hue_turn) ? "" : "°"}` : "",
      step.saturation !== 1 ? `sat ×${short(step.saturation)}` : "",
      step.complement ? "complement" : "",
      moving(step.monochrome) ? `monochrome ${short(step.monochrome)}` : "",
      step.brightness !== 1 ? `bright ×${short(step.brightness)}` : "",
      step.contrast !== 1 ? `contrast ${short(step.contrast)}` : "",
      step.gamma !== 1 ? `gamma ${short(step.gamma)}` : "",
      [...step.slope, ...step.power, step.cdl_saturation].some((v) => v !== 1) || step.offset.some((v) => v !== 0) ? "CDL" : "",
    ].filter(Boolean);
    return parts.join(" · ") || "nothing yet";
  },
});
