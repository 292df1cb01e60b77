/** Drawing over the canvas goes along with the camera. */
import { useEffect, useState } from "react";
import { view } from "./current";

/** Draws anew after every frame of the view, while that is wanted. */
export function useFrames(wanted = true) {
  const [, drawn] = useState(0);
  useEffect(() => {
    if (!wanted) return;
    const told = () => drawn((n) => n + 1);
    view.frames.add(told);
    return () => void view.frames.delete(told);
  }, [wanted]);
}
