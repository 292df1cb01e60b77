import { isFollowing } from "../../state/follow";
import { OtherChain } from "../Holding";
import { fresh } from ".";
import { page } from "./page";
import { BLENDS, short } from "./words";

export default page("mix", {
  summary: (step) => {
    if (step.blend !== "normal") return `${BLENDS[step.blend].toLowerCase()} with another chain`;
    return isFollowing(step.factor) ? `with another, ${short(step.factor)}` : `${short(step.factor * 100)}% of another`;
  },
  // The other chain begins with what it is mixed with.
  first: ({ incoming }) => ({ chain: [incoming === "number" ? fresh("random") : { ...fresh("constant"), value: "#f3dfb8" }] as never }),
  Below: OtherChain,
});
