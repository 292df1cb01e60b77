import { page } from "./page";
import { short } from "./words";

/** How many fewer pairs of neighbours are alike after a spread. */
function fewer(facts: Record<string, number>): string {
  const before = facts.alike_before ?? 0;
  return before ? `${Math.round(100 * (1 - (facts.alike_after ?? 0) / before))}%` : "0%";
}

export default page("spread", {
  summary: (step) => {
    if (step.by === "ramp_bands") return "neighbours in other bands of the ramp";
    return step.edges.length ? "neighbours in other bands" : `neighbours in other bands of ${short(step.bands)}`;
  },
  // What is spread before colours are chosen is spread by their bands.
  first: ({ next }) => (next === "colour" ? { by: "ramp_bands" } : {}),
  Mark: ({ census }) =>
    census?.facts?.pairs ? (
      <span
        className="tabular flex-none text-[11px] whitespace-nowrap text-soft"
        title={`${census.facts.alike_after} of ${census.facts.pairs} pairs of neighbours share a band; before, ${census.facts.alike_before}`}
      >
        {fewer(census.facts)} fewer alike
      </span>
    ) : null,
});
