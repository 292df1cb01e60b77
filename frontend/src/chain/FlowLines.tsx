/** Thin lines between two slabs: from where values were to where they went, on the shared axis. */
import type { StepCensus } from "../api/client";
import { onAxis } from "../widgets/Distribution";

const STRAIGHT = Array.from({ length: 24 }, (_, k) => (k + 0.5) / 24);

export function FlowLines({ from, to }: { from: StepCensus | undefined; to: StepCensus | undefined }) {
  const pairs: [number, number][] =
    from?.numbers && to?.numbers && to.flow
      ? to.flow.map(([a, b]) => [onAxis(from.numbers!, a), onAxis(to.numbers!, b)])
      : STRAIGHT.map((x) => [x, x]);
  const path = pairs
    .map(([a, b]) => `M${a * 1000} 0C${a * 1000} 5 ${b * 1000} 5 ${b * 1000} 10`)
    .join("");
  return (
    <svg aria-hidden viewBox="0 0 1000 10" preserveAspectRatio="none" className="mx-3 block h-3 w-[calc(100%-24px)]">
      <path d={path} fill="none" stroke="var(--strong)" strokeWidth={1} vectorEffect="non-scaling-stroke" />
    </svg>
  );
}
