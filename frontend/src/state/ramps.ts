/** Ramp edits whose arithmetic is the core's. */
import { json, type Ramp } from "../api/client";
import { parsePlace, withStep } from "./edits";
import { editLook, tell, useStore } from "./store";

type Action = "flip" | "space_evenly" | "space_by_share" | "snap" | "set_shares";
const LABELS: Record<Action, string> = {
  flip: "Flip the ramp",
  space_evenly: "Space the stops evenly",
  space_by_share: "Space the stops by share",
  snap: "Snap the stops",
  set_shares: "Set shares",
};

export async function editRamp(place: string, action: Action, shares: number[] | null = null) {
  const { scene, chosen } = useStore.getState();
  const at = parsePlace(place);
  if (!scene || !at) return;
  try {
    const body = { scene, population: chosen, place, action, shares };
    const { ramp } = await json<{ ramp: Ramp }>("POST", "/ramp-edits", body);
    editLook(LABELS[action], (look) => withStep(look, at.chain, at.step, ramp));
  } catch (error) {
    tell((error as Error).message);
  }
}

export function setShares(place: string, shares: number[]) {
  return editRamp(place, "set_shares", shares);
}
