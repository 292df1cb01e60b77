import { Freeze } from "../Holding";
import { page } from "./page";

export default page("even_out", {
  summary: (step) => (step.frozen.length ? "by a frozen distribution" : "by rank, whole range used"),
  Below: Freeze,
});
