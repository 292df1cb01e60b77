import type { Moment } from "../api/client";

/** When the scene is looked at: the frame of its timeline, the one that the view shows, and whether it plays. */
export interface ClockSlice {
  frame: number;
  /** The frame of the newest answer. */
  shownFrame: number;
  /** Where the markers with keys are at that frame, and what the dials with keys are. */
  moment: Moment;
  playing: boolean;
  looping: boolean;
}

export const clock: ClockSlice = { frame: 0, shownFrame: -1, moment: { markers: {}, dials: {} }, playing: false, looping: true };
