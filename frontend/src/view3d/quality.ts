/** How much the view may cost: less where no graphics card draws it, or where the address asks for it, ?view=light, or ?view=blank for nothing at all. */
import { create } from "zustand";

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
  /** Whether colours are lit by simple arithmetic, without the renderer's own model. */
  plain: boolean;
  /** Whether anything is drawn; the view tells all the same what it was given, and finds elements. */
  draws: boolean;
}

/** Words in a renderer's name that say that the processor draws. */
const SOFTWARE = /swiftshader|llvmpipe|softpipe|software|basic render|warp/i;

/** Whether no graphics card draws here, by the renderer's name. */
function withoutCard(): boolean {
  const gl = document.createElement("canvas").getContext("webgl2");
  if (!gl) return false;
  const told = gl.getExtension("WEBGL_debug_renderer_info");
  const name = String(gl.getParameter(told ? told.UNMASKED_RENDERER_WEBGL : gl.RENDERER));
  gl.getExtension("WEBGL_lose_context")?.loseContext();
  return SOFTWARE.test(name);
}

const KEPT = "gaudyseed-drawing";
const FULL: Quality = { antialias: true, environment: true, shadowSize: 2048, most: 1_000_000, strands: 200_000, pixelRatio: Math.min(window.devicePixelRatio, 2), coarse: 1, plain: false, draws: true };
const LIGHT: Quality = { antialias: false, environment: false, shadowSize: 0, most: 30_000, strands: 6_000, pixelRatio: 1, coarse: 2, plain: true, draws: true };
/** For tests: few elements, in the same light as in full. */
const LEAST: Quality = { ...LIGHT, most: 1_300, strands: 500, coarse: 4, plain: false };
const BLANK: Quality = { ...LEAST, draws: false };
const ASKED = new Map([["light", LEAST], ["blank", BLANK]]);

/** What the address asks for. */
const asked = () => new URLSearchParams(location.search).get("view") ?? "";

/** How the view draws, whether that was chosen here, and whether a graphics card is missing. */
interface Drawing {
  card: boolean;
  light: boolean;
}

function begun(): Drawing {
  const chosen = localStorage.getItem(KEPT);
  const full = asked() === "full";
  const least = ASKED.has(asked());
  const card = full || least || !withoutCard();
  return { card, light: least || (!full && (chosen === null ? !card : chosen === "light")) };
}

export const useDrawing = create<Drawing>(begun);

/** Draw lightly or fully from now on; the page begins anew with it. */
export function drawLightly(light: boolean) {
  localStorage.setItem(KEPT, light ? "light" : "full");
  location.reload();
}

export function quality(): Quality {
  return ASKED.get(asked()) ?? (useDrawing.getState().light ? LIGHT : FULL);
}
