import { page } from "./page";
import { short } from "./words";

export default page("levels", {
  summary: (step) => {
    const bend = step.gamma === 1 ? "" : `, gamma ${short(step.gamma)}`;
    return `${short(step.black_point)} to ${short(step.white_point)}${bend}${step.contrast === 1 ? "" : `, contrast ${short(step.contrast)}`}`;
  },
});
