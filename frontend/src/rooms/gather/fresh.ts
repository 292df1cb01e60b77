/** Beginnings for new populations. */
import type { Look, Scene } from "../../api/client";
import { fresh } from "../../chain/steps";
import { free } from "../../state/edits";

export function freeId(scene: Scene, name: string): string {
  const base = name.toLowerCase().replace(/[^a-z0-9]+/g, "-").replace(/^-|-$/g, "").slice(0, 30) || "population";
  return free(base, scene.populations.map((p) => p.id), "-");
}

/** One layer: a random value through a ramp. */
export function plainLook(): Look {
  return {
    gaudyseed: 2,
    signals: [],
    lanes: {
      base_colour: {
        enabled: true,
        layers: [
          {
            name: "Colours",
            enabled: true,
            blend: "normal",
            blend_in: "linear",
            amount: 1,
            mask: null,
            paint: [fresh("random"), fresh("ramp")],
          },
        ],
      },
    },
  };
}
