import { page } from "./page";

export default page("attribute", {
  summary: (step) => (step.component === "whole" ? step.name : `${step.name}, ${step.component}`),
  first: ({ attribute }) => ({ name: attribute }),
  gives: (step, _incoming, attributes) => {
    const read = attributes.find((a) => a.name === step.name);
    return read && (read.kind === "colour" || (read.kind === "vector" && step.component === "whole")) ? read.kind : "number";
  },
});
