/**
 * Shares for typing: one is set, locked ones and those that were typed before (`typed`, exactly as typed) stay, the others
 * keep their proportions in what is left.
 */
export function withShare(counts: number[], index: number, share: number, locked: boolean[] = [], typed: ReadonlyMap<number, number> = new Map()): number[] {
  const total = counts.reduce((a, b) => a + b, 0) || 1;
  const stays = counts.map((count, k) => (k === index ? 0 : (typed.get(k) ?? (locked[k] ? count / total : 0))));
  const room = Math.max(0, 1 - stays.reduce((a, b) => a + b, 0));
  const free = counts.map((_, k) => k !== index && !locked[k] && !typed.has(k));
  const others = counts.reduce((sum, count, k) => sum + (free[k] ? count : 0), 0);
  const many = free.filter(Boolean).length;
  // Where no other can give or take, the typed one takes all the room there is.
  const held = many === 0 ? room : Math.min(room, Math.max(0, share));
  return counts.map((count, k) => {
    if (k === index) return held;
    if (!free[k]) return stays[k]!;
    return others > 0 ? (count / others) * (room - held) : (room - held) / many;
  });
}

/** What stands in a text of colours and is none, in words; empty where all was understood. */
export function notUnderstood(words: string[]): string {
  return words.length === 0 ? "" : `Not understood: ${words.join(", ")}.`;
}

export function percent(count: number, total: number): string {
  return total > 0 ? `${((100 * count) / total).toFixed(1)}%` : "0%";
}

/** Black or white, whichever reads better on the colour (WCAG relative luminance). */
export function textOn(colour: string): string {
  const [r, g, b] = [1, 3, 5].map((k) => {
    const c = Number.parseInt(colour.slice(k, k + 2), 16) / 255;
    return c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4;
  }) as [number, number, number];
  return 0.2126 * r + 0.7152 * g + 0.0722 * b > 0.179 ? "#000" : "#fff";
}
