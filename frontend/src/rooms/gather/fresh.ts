/** Beginnings for new populations. */
import type { Look, PopulationDocument, Scene, Step } from "../../api/client";
import { fresh } from "../../chain/steps";
import { FRESH_LANE, free } from "../../state/edits";

export function freeId(scene: Scene, name: string): string {
  const base = name.toLowerCase().replace(/[^a-z0-9]+/g, "-").replace(/^-|-$/g, "").slice(0, 30) || "population";
  return free(base, scene.populations.map((p) => p.id), "-");
}

/** A population as it is added, standing where it was made and whole in the view. */
export function population(scene: Scene, name: string, maker: PopulationDocument["maker"], shape: PopulationDocument["shape"]): PopulationDocument {
  return {
    id: freeId(scene, name), name, maker, look: plainLook(maker.maker === "strands" ? fresh("along") : undefined), wears: null, shape, shown: true,
    place: { position: [0, 0, 0], turn: [0, 0, 0], size: 1 },
    painted: [],
    draft: { count: null, every: 1, subdivision: null },
  };
}

/** One layer: a random value through a ramp, or what begins a chain in its place. */
export function plainLook(begin: Step = fresh("random")): Look {
  return {
    gaudyseed: 2,
    signals: [],
    finishes: [],
    shapes: [],
    picture: null,
    outputs: [],
    lanes: {
      base_colour: {
        ...FRESH_LANE,
        layers: [
          {
            name: "Colours",
            enabled: true,
            blend: "normal",
            blend_in: "linear",
            amount: 1,
            mask: null,
            paint: [begin, fresh("ramp")],
          },
        ],
      },
    },
  };
}
