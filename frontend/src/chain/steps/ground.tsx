import { ReadingChoice } from "../Reading";
import { page } from "./page";

export default page("ground", {
  summary: (step) => `${step.of === "channel" ? "the" : step.of} ${step.name.replaceAll("_", " ")} below`,
  Editor: ({ step, onCommit }) => (
    <ReadingChoice title="Read" value={{ of: step.of, name: step.name }} onCommit={(read, label) => read && onCommit({ ...step, ...read }, label)} />
  ),
  gives: (step) => (step.of === "channel" && step.name === "base_colour" ? "colour" : undefined),
});
