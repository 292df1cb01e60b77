/** Edits of steps whose arithmetic is the core's: it sees the values that come in. */
import { json, type Step } from "../api/client";
import { parsePlace, withStep } from "./edits";
import { editLook, tell, useStore } from "./store";

export type RampAction = "flip" | "space_evenly" | "space_by_share" | "snap" | "set_shares";
const LABELS: Record<RampAction, string> = {
  flip: "Flip the ramp",
  space_evenly: "Space the stops evenly",
  space_by_share: "Space the stops by share",
  snap: "Snap the stops",
  set_shares: "Set shares",
};

/** The step at a place of the chosen population after an edit. */
export async function editedStep(place: string, action: string, shares: number[] | null = null): Promise<Step> {
  const { scene, chosen, frame } = useStore.getState();
  return (await json<{ step: Step }>("POST", "/step-edits", { scene, population: chosen, place, action, shares, frame })).step;
}

/** Put the step in place after an edit of its own. */
export async function editStep(place: string, action: string, label: string, shares: number[] | null = null) {
  const at = parsePlace(place);
  if (!at) return;
  try {
    const step = await editedStep(place, action, shares);
    editLook(label, (look) => withStep(look, at.chain, at.step, step));
  } catch (error) {
    tell((error as Error).message);
  }
}

export const editRamp = (place: string, action: RampAction, shares: number[] | null = null) => editStep(place, action, LABELS[action], shares);

export function setShares(place: string, shares: number[]) {
  return editRamp(place, "set_shares", shares);
}
