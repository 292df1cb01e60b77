import { Button } from "../../widgets/Button";
import { StepParameters } from "../Parameters";
import { editStep } from "../../state/ramps";
import { page } from "./page";
import { near, short } from "./words";

export default page("extent", {
  placed: true,
  summary: (step, facts) => {
    const ends = [step.low ?? facts.low ?? 0, step.high ?? facts.high ?? 1].map((v) => (typeof v === "number" ? near(v) : short(v)));
    const of = step.per === "all" ? "" : ` of each ${step.per}`;
    return `along ${step.axis}${of}, ${ends.join(" to ")}${step.flip ? ", flipped" : ""}`;
  },
  Editor: ({ step, census, place, schema, onDraft, onCommit }) => (
    <div className="flex flex-col gap-2">
      <StepParameters
        step={step}
        schema={schema}
        fitted={{ low: census?.facts?.low ?? 0, high: census?.facts?.high ?? 1 }}
        onDraft={onDraft}
        onCommit={onCommit}
      />
      {step.per === "all" && (
        <span className="flex gap-2">
          {(step.low === null || step.high === null) && <Button onClick={() => void editStep(place, "hold", "Hold this range")}>Hold this range</Button>}
          {(step.low !== null || step.high !== null) && <Button onClick={() => onCommit({ ...step, low: null, high: null }, "Measure the range")}>Measure it again</Button>}
        </span>
      )}
    </div>
  ),
});
