/** When the scene is looked at. It has no timeline yet: all is at frame 0. */
export interface ClockSlice {
  frame: number;
}

export const clock: ClockSlice = { frame: 0 };
