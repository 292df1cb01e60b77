import { attributesOf, useStore } from "../../state/store";
import { StepParameters } from "../Parameters";
import { page } from "./page";

/** Of texts only the order can be read. */
function fitting(name: string, component: "whole" | "x" | "y" | "z" | "length" | "order") {
  const read = attributesOf(useStore.getState()).find((a) => a.name === name);
  if (read?.kind === "text") return "order";
  return component === "order" && (read?.kind === "colour" || read?.kind === "vector") ? "whole" : component;
}

export default page("attribute", {
  summary: (step) => (step.component === "whole" ? step.name : `${step.name}, ${step.component}`),
  first: ({ attribute }) => ({ name: attribute, component: fitting(attribute, "whole") }),
  Editor: ({ step, schema, onDraft, onCommit }) => (
    <StepParameters
      step={step}
      schema={schema}
      skip={[]}
      onDraft={onDraft}
      onCommit={(to, label) => {
        const next = to as typeof step;
        onCommit(next.name === step.name ? next : { ...next, component: fitting(next.name, next.component) }, label);
      }}
    />
  ),
});
