import { page } from "./page";

const WAYS = { mean: "mean", least: "least", greatest: "greatest", middle: "middle value", first: "first", sum: "sum", count: "count" } as const;

export default page("unify", {
  summary: (step, facts) => `${WAYS[step.by]} per ${step.per.replaceAll("_", " ")}${facts.owners ? `, ${facts.owners.toLocaleString("en-GB")} of them` : ""}`,
  first: ({ owner }) => (owner ? { per: owner } : {}),
});
