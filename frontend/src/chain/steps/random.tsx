import { isFollowing } from "../../state/follow";
import { Seed } from "../Seed";
import { titleOf } from ".";
import { page } from "./page";
import { short } from "./words";

export default page("random", {
  summary: (step) =>
    `${step.per === "element" ? "per element" : `per ${step.per}`}${isFollowing(step.numbers) || step.numbers > 1 ? `, ${short(step.numbers)} numbers` : ""}${step.linked ? ", linked" : ""}`,
  Mark: ({ step, onCommit }) =>
    isFollowing(step.seed) ? null : <Seed seed={step.seed} what={titleOf("random")} onCommit={(seed, label) => onCommit({ ...step, seed }, label)} />,
  skip: (step) => (isFollowing(step.seed) ? [] : ["seed"]),
  // Of a mesh each part has its value: one for each vertex would be grain.
  first: ({ owner, mesh }) => (mesh && owner ? { per: owner } : {}),
});
