import { page } from "./page";
import { short } from "./words";

export default page("constant", {
  summary: (step) => (typeof step.value === "string" ? step.value : short(step.value)),
});
