/** A stop with nothing special about it. */
export function newStop(at: number, colour: string) {
  return { at, colour, intensity: 1, hold: false, locked: false };
}
