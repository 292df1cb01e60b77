import { Chains } from "../Holding";
import { fresh } from ".";
import { page } from "./page";

export default page("choose", {
  summary: (step) => `one of ${step.chains.length} chains by ${step.of === "index" ? "whole number" : "value"}`,
  first: () => ({ chains: ["#1d2b4f", "#c8553d", "#f3dfb8"].map((value) => [{ ...fresh("constant"), value }]) as never }),
  Below: Chains,
});
