/** The motion of particles along the timeline: which frames are there, and working all of them out. */
import { create } from "zustand";
import { json, type MotionAnswer } from "../api/client";
import { useStore } from "./base";
import { done } from "./jobs";
import { tell } from "./notices";

const NOTHING: MotionAnswer = { frames: [], births: [], trouble: "", missing: 0, size: 0 };

/** What is kept, as the server told last. */
export const useMotion = create<MotionAnswer>(() => NOTHING);

let asked = 0;

/** Ask which frames are there; only the newest answer counts. */
export async function askMotion() {
  const { scene } = useStore.getState();
  const mine = ++asked;
  if (!scene?.populations.some((p) => p.maker.maker === "emission")) return useMotion.setState(NOTHING);
  try {
    const answer = await json<MotionAnswer>("POST", "/motion", { scene });
    if (mine === asked) useMotion.setState(answer);
  } catch {
    // The error stands where the population is.
    if (mine === asked) useMotion.setState(NOTHING);
  }
}

/** Work all frames out, as a job. */
export async function workOut() {
  const { scene, sceneId } = useStore.getState();
  if (!scene) return;
  try {
    await done("motions", { scene, of: sceneId ?? "" }, () => void askMotion());
  } catch (error) {
    if ((error as Error).name !== "AbortError") tell((error as Error).message);
  }
  void askMotion();
}
