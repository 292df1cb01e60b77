import { StepParameters } from "../Parameters";
import { FitButton } from "../Placing";
import { page } from "./page";

export default page("picture", {
  placed: true,
  first: ({ replaced }) => (replaced === "number" ? { part: "grey" as const } : {}),
  summary: (step, facts) =>
    `${step.picture ?? "the first picture"}, ${step.on === "uv" ? `by ${step.uv}` : "on a plane"}${step.part === "colour" ? (step.greyed ? ", greyed" : "") : `, ${step.part}`}${(facts.texels ?? 0) > 1 && step.averaged ? `, ${Math.round(facts.texels!)} texels each` : ""}`,
  Editor: ({ step, census, schema, onDraft, onCommit }) => {
    const resting = census?.placement;
    const by = step.on === "uv" ? ["by", "space", "marker", "centre", "turn", "size"] : ["uv", ...(step.marker === null ? [] : ["centre"])];
    const skip = [...by, ...(step.part === "colour" ? [] : ["greyed"])];
    return (
      <div className="flex flex-col gap-2">
        <StepParameters
          step={step}
          schema={schema}
          skip={skip}
          fitted={resting && { centre: resting.centre, size: resting.size.slice(0, 2) }}
          onDraft={onDraft}
          onCommit={onCommit}
        />
        {census?.picture && <p className="text-[11.5px] text-soft tabular">{`${census.picture.width} × ${census.picture.height} texels`}</p>}
        {step.on === "plane" && (
          <span className="flex gap-2">
            <FitButton values={[step.centre, step.size, step.marker]} onFit={() => onCommit({ ...step, marker: null, centre: null, size: null, turn: [0, 0, 0] }, "Fit to the population")} />
          </span>
        )}
      </div>
    );
  },
});
