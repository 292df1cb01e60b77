import { ReadingChoice } from "../Reading";
import { page } from "./page";

export default page("ground", {
  // A mask wants a number: one that was painted or came along, else one that every mesh has.
  first: ({ mask, below = [] }) => {
    if (!mask) return {};
    const number = below.findLast((a) => a.kind === "number" && !a.derived);
    return number ? { of: "attribute" as const, name: number.name } : { of: "channel" as const, name: "roughness" };
  },
  summary: (step) => `${step.of === "channel" ? "the" : step.of} ${step.name.replaceAll("_", " ")} below`,
  Editor: ({ step, onCommit }) => (
    <ReadingChoice title="Read" value={{ of: step.of, name: step.name }} onCommit={(read, label) => read && onCommit({ ...step, ...read }, label)} />
  ),
});
