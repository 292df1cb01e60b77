import { isFollowing } from "../../state/follow";
import { page } from "./page";
import { moving, short } from "./words";

export default page("grade", {
  summary: (step) => {
    const parts = [
      step.gain !== 1 ? `gain ${short(step.gain)}` : "",
      moving(step.hue_turn) ? `hue ${short(step.hue_turn)}${isFollowing(step.hue_turn) ? "" : "°"}` : "",
      step.saturation !== 1 ? `sat ×${short(step.saturation)}` : "",
      step.complement ? "complement" : "",
      moving(step.monochrome) ? `monochrome ${short(step.monochrome)}` : "",
      moving(step.value) ? `value ${short(step.value)}` : "",
      step.brightness !== 1 ? `bright ×${short(step.brightness)}` : "",
      step.contrast !== 1 ? `contrast ${short(step.contrast)}` : "",
      step.gamma !== 1 ? `gamma ${short(step.gamma)}` : "",
      [...step.slope, ...step.power, step.cdl_saturation].some((v) => v !== 1) || step.offset.some((v) => v !== 0) ? "CDL" : "",
    ].filter(Boolean);
    return parts.join(" · ") || "nothing yet";
  },
});
