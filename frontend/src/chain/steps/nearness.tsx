import { StepParameters } from "../Parameters";
import { ReadingChoice } from "../Reading";
import { useStore } from "../../state/base";
import { page } from "./page";
import { near } from "./words";

/** What a population is called. */
const populationName = (id: string) => useStore.getState().scene?.populations.find((p) => p.id === id)?.name ?? id;

export default page("nearness", {
  placed: true,
  first: ({ replaced, others }) => (replaced === "colour" && others[0] ? { population: others[0], result: "value" as const } : {}),
  summary: (step, facts) => {
    const to = step.population === null ? (step.markers.length > 0 ? step.markers.join(", ") : "markers") : `${populationName(step.population)}${step.nearest === "surface" ? ", its surface" : ""}`;
    if (step.result === "value") return `what is at ${to}`;
    return `${step.result === "distance" ? "distance" : `within ${near(facts.reach)}`} to ${to}${step.flip ? ", flipped" : ""}`;
  },
  Editor: ({ step, census, schema, onDraft, onCommit }) => {
    const skip = ["space", "read", ...(step.population === null ? ["nearest"] : ["markers"]), ...(step.result === "reach" ? [] : ["within", "flip"])];
    return (
      <div className="flex flex-col gap-2">
        <StepParameters
          step={step}
          schema={schema}
          skip={skip}
          fitted={{ within: census?.facts?.reach ?? 1 }}
          onDraft={onDraft}
          onCommit={onCommit}
        />
        {step.result === "value" && <ReadingChoice title="Read" of={step.population} value={step.read} onCommit={(read, label) => read && onCommit({ ...step, read }, label)} />}
      </div>
    );
  },
});
