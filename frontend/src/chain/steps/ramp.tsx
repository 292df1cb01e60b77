import { newStop } from "../newStop";
import { RampEditor } from "../RampEditor";
import { page } from "./page";
import { INTERPOLATIONS, SPACES } from "./words";

export default page("ramp", {
  summary: (step) =>
    step.interpolation === "steps"
      ? `${step.stops.length} steps`
      : `${step.stops.length} stops, ${INTERPOLATIONS[step.interpolation].toLowerCase()} in ${SPACES[step.mix_in]}`,
  first: () => ({ stops: [newStop(0, "#1d2b4f"), newStop(0.5, "#c8553d"), newStop(1, "#f3dfb8")] }),
  Editor: ({ step, place, index, census, trace, onDraft, onCommit }) => (
    <RampEditor ramp={step} place={place} index={index} census={census?.ramp} trace={trace} onDraft={onDraft} onCommit={onCommit} />
  ),
  draws: true,
  strip: 12,
  large: true,
});
