import { HeldDistribution } from "../Holding";
import { page } from "./page";

export default page("even_out", {
  summary: (step) => (step.held.length ? "by a held distribution" : "by rank, whole range used"),
  Below: HeldDistribution,
});
