/** A noise in overlay over a step's values: an edge is broken up in one action. */
import { parsePlace, withChain } from "../state/edits";
import { editLook, longestSide } from "../state/store";
import { fresh } from "./steps";

export function breakUp(place: string, after: number) {
  const at = parsePlace(place);
  if (!at) return;
  const noise = { ...fresh("noise"), size: Number((longestSide(6) / 14).toPrecision(2)), low: 0.3, high: 0.7 };
  const mix = { ...fresh("mix"), blend: "overlay", factor: 0.7, chain: [noise] } as ReturnType<typeof fresh>;
  editLook("Break up the edge", (look) => withChain(look, at.chain, (all) => all.toSpliced(after, 0, mix)));
}

