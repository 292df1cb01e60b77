import { page } from "./page";
import { short } from "./words";

export default page("clamp", {
  summary: (step) => `levels ${short(step.least)} to ${short(step.greatest)}`,
});
