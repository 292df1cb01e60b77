/** Beginnings for new populations. */
import type { Look, Scene } from "../../api/client";
import { fresh } from "../../chain/steps";

export function freeId(scene: Scene, name: string): string {
  const base = name.toLowerCase().replace(/[^a-z0-9]+/g, "-").replace(/^-|-$/g, "").slice(0, 30) || "population";
  const taken = new Set(scene.populations.map((p) => p.id));
  let id = base;
  for (let k = 2; taken.has(id); k++) id = `${base}-${k}`;
  return id;
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
