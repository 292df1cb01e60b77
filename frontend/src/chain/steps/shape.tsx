import { page } from "./page";

export default page("shape", {
  summary: (step) => (step.given === "number" ? "the number of its shape" : "its shape's part of 0 to 1"),
});
