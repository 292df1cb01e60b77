import { page } from "./page";
import { near, short } from "./words";

export default page("range", {
  summary: (step, facts) => {
    const own = facts.low === undefined ? "" : ` ${near(facts.low)} to ${near(facts.high)}`;
    const from = step.own ? `own range${own}` : `${short(step.from_low)} to ${short(step.from_high)}`;
    const to = [step.to_low, step.to_high];
    if (step.flip) to.reverse();
    return `${from} onto ${to.map(short).join(" to ")}${step.clamp ? ", clamped" : ""}`;
  },
  first: () => ({ own: true }),
});
