import { CurveEditor } from "../CurveEditor";
import { StepParameters } from "../Parameters";
import { page } from "./page";

export default page("along", {
  summary: (step) => `${step.flip ? "tip to root" : "root to tip"}, by ${step.by}${step.points.length > 2 ? `, ${step.points.length} points` : ""}`,
  Editor: ({ step, census, schema, onDraft, onCommit }) => (
    <div className="flex flex-col gap-2.5">
      <CurveEditor curve={step} census={census} onDraft={(to) => onDraft({ ...step, ...to })} onCommit={(to, label) => onCommit({ ...step, ...to }, label)} />
      <StepParameters step={step} schema={schema} skip={["points", "interpolation"]} onDraft={onDraft} onCommit={onCommit} />
    </div>
  ),
  large: true,
});
