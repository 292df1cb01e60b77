/** Which points of curves are drawn: those that the view can show apart. */

/** The part of a population's box that is less than a pixel wherever all of it is in sight. */
const LEAST = 1 / 4096;

/** How far apart points are drawn, by the corners of the box around them. */
export function leastApart(low: readonly number[], high: readonly number[]): number {
  return LEAST * Math.hypot(...low.map((l, k) => high[k]! - l));
}

/** Of the points first to before end of a curve those that lie so far from the one before them; both ends always. */
export function pointsApart(places: ArrayLike<number>, first: number, end: number, least: number): number[] {
  const found = [first];
  let held = first;
  for (let k = first + 1; k < end; k++) {
    const far = Math.hypot(places[3 * k]! - places[3 * held]!, places[3 * k + 1]! - places[3 * held + 1]!, places[3 * k + 2]! - places[3 * held + 2]!);
    if (far < least && k < end - 1) continue;
    found.push(k);
    held = k;
  }
  return found;
}
