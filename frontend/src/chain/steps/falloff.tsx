import { Spline } from "lucide-react";
import { useStore } from "../../state/store";
import { Button } from "../../widgets/Button";
import { StepParameters } from "../Parameters";
import { FitButton } from "../Placing";
import { breakUp } from "../breakUp";
import { page } from "./page";

const SHAPES = { line: "line", ball: "ball", box: "box", angle: "angle", plane: "plane" } as const;
/** What a shape has no use for. */
const UNUSED: Record<keyof typeof SHAPES, string[]> = {
  line: ["size", "turn", "spiral"],
  ball: ["end", "spiral"],
  box: ["end", "spiral"],
  angle: ["end"],
  plane: ["end", "spiral"],
};

export default page("falloff", {
  placed: true,
  first: () => ({}),
  summary: (step) => `${SHAPES[step.shape]}${step.marker ? ` at ${step.marker}` : ""}, ${step.profile}${step.flip ? ", flipped" : ""}`,
  Editor: ({ step, census, place, index, schema, onDraft, onCommit }) => {
    const tool = useStore((s) => s.tool?.kind === "line" && s.tool.place === place);
    const resting = census?.placement;
    const hidden = [...UNUSED[step.shape], ...(step.marker === null ? [] : ["centre"])];
    const all = Object.keys((schema.properties ?? {}) as object);
    const part = (names: string[]) => (
      <StepParameters
        step={step}
        schema={schema}
        skip={all.filter((name) => !names.includes(name) || hidden.includes(name))}
        fitted={resting && { centre: resting.centre, size: resting.size, end: resting.end }}
        onDraft={onDraft}
        onCommit={onCommit}
      />
    );
    return (
      <div className="flex flex-col gap-2.5">
        {part(["shape", "profile", "flip"])}
        {part(["inner", "outer", "spiral"])}
        {part(["centre", "end", "size", "turn"])}
        {part(["marker", "space", "by"])}
        <span className="flex flex-wrap gap-2">
          <Button aria-pressed={tool} strong={tool} onClick={() => useStore.setState({ tool: tool ? null : { kind: "line", place } })}>
            <Spline size={13} aria-hidden />
            Draw a line
          </Button>
          <Button onClick={() => breakUp(place, index + 1)}>Break up the edge</Button>
          <FitButton values={[step.centre, step.size, step.end, step.marker]} onFit={() => onCommit({ ...step, marker: null, centre: null, size: null, end: null }, "Fit to the population")} />
        </span>
      </div>
    );
  },
});
