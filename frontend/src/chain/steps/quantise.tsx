import { page } from "./page";
import { short } from "./words";

export default page("quantise", {
  summary: (step) => `${short(step.levels)} levels from ${step.of === "index" ? "whole numbers" : "0 to 1"}`,
});
