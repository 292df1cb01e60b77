/** The document: the draft of the scene, how it is saved, and what is registered in the core. */
import type { Channel, FileFormat, KindDescription, MakerDescription, Scene, SceneListed, ShippedList, StepDescription } from "../api/client";
import type { SaveState } from "./saver";

export interface DocumentSlice {
  /** All scenes there are, and those that were deleted, as they were listed last. */
  scenes: SceneListed[];
  removedScenes: SceneListed[];
  sceneId: string;
  scene: Scene | null;
  canUndo: boolean;
  canRedo: boolean;
  saving: SaveState;
  saveSentence: string;
  steps: StepDescription[];
  channels: Channel[];
  makers: MakerDescription[];
  kinds: KindDescription[];
  /** The parameters of a finish, a shape, a picture on elements and its versions, by these words. */
  material: Record<string, Record<string, unknown>>;
  formats: FileFormat[];
  /** The pictures that ship. */
  shipped: ShippedList["pictures"];
}

export const document: DocumentSlice = {
  scenes: [],
  removedScenes: [],
  sceneId: "",
  scene: null,
  canUndo: false,
  canRedo: false,
  saving: "saved",
  saveSentence: "",
  steps: [],
  channels: [],
  makers: [],
  kinds: [],
  material: {},
  formats: [],
  shipped: [],
};
