/** How much the view may cost. Slow machines and tests take less through the address: ?view=light. */
export interface Quality {
  antialias: boolean;
  environment: boolean;
  /** Pixels of the sun's shadow at a side; 0 for no shadows at all. */
  shadowSize: number;
  /** Elements drawn at most; the rest keep their colours but are not shown. */
  most: number;
  /** Strands drawn at most, evenly from among all. */
  strands: number;
  pixelRatio: number;
  /** Of bare surfaces every so many-th line is drawn. */
  coarse: 1 | 2 | 4;
}

export function quality(): Quality {
  const light = new URLSearchParams(location.search).get("view") === "light";
  return light
    ? { antialias: false, environment: false, shadowSize: 0, most: 1_300, strands: 500, pixelRatio: 1, coarse: 4 }
    : {
        antialias: true,
        environment: true,
        shadowSize: 2048,
        most: 1_000_000,
        strands: 200_000,
        pixelRatio: Math.min(window.devicePixelRatio, 2),
        coarse: 1,
      };
}
