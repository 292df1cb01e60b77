/** Shares for typing: one is set, the others keep their proportions. */
export function withShare(counts: number[], index: number, share: number): number[] {
  const total = counts.reduce((a, b) => a + b, 0);
  const others = total - (counts[index] ?? 0);
  const held = Math.min(1, Math.max(0, share));
  return counts.map((count, k) => {
    if (k === index) return counts.length === 1 ? 1 : held;
    return others > 0 ? (count / others) * (1 - held) : (1 - held) / (counts.length - 1);
  });
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
