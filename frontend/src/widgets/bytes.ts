/** Base64 from the server's censuses into bytes. */
export function bytesOf(text: string): Uint8ClampedArray<ArrayBuffer> {
  const raw = atob(text);
  const bytes = new Uint8ClampedArray(raw.length);
  for (let k = 0; k < raw.length; k++) bytes[k] = raw.charCodeAt(k);
  return bytes;
}

/** #rrggbb of the first three of bytes. */
export function hexFromBytes(rgb: ArrayLike<number>): string {
  return `#${[0, 1, 2].map((k) => rgb[k]!.toString(16).padStart(2, "0")).join("")}`;
}
