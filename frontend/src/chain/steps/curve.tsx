import { CurveEditor } from "../CurveEditor";
import { page } from "./page";

export default page("curve", {
  summary: (step) => `${step.interpolation}, ${step.points.length} points`,
  Editor: ({ step, census, onDraft, onCommit }) => <CurveEditor curve={step} census={census} onDraft={(to) => onDraft({ ...step, ...to })} onCommit={(to, label) => onCommit({ ...step, ...to }, label)} />,
  large: true,
});
