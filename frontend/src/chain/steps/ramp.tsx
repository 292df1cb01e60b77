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
  instead: (fresh, old) => {
    if (old.step !== "palette" || old.swatches.length < 2) return fresh;
    const weights = old.swatches.map(({ weight }) => (old.parts === "weights" && typeof weight === "number" ? weight : 1));
    const total = weights.reduce((a, b) => a + b, 0) || 1;
    const starts = weights.map((_, k) => Math.round((1e4 * weights.slice(0, k).reduce((a, b) => a + b, 0)) / total) / 1e4);
    // A swatch of no weight has no band.
    const kept = old.swatches.flatMap((swatch, k) => (weights[k]! > 0 ? [{ ...newStop(starts[k]!, "#808080"), colour: swatch.colour as never, locked: swatch.locked }] : []));
    return { ...fresh, interpolation: "steps", stops: kept };
  },
  draws: true,
  strip: 12,
  large: true,
});
