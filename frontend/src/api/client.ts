/** Requests to the server. Types come from its OpenAPI document (generated/schema.d.ts). */
import type { components } from "../../generated/schema";

type Schemas = components["schemas"];
export type Scene = Schemas["Scene"];
export type SceneAnswer = Schemas["SceneAnswer"];
export type SceneListed = Schemas["SceneListed"];
export type EarlierState = Schemas["Earlier"];
export type PopulationDocument = Schemas["PopulationDocument"];
export type Layer = Schemas["Layer"];
export type Lane = Schemas["Lane"];
export type Finish = Schemas["Finish"];
export type Shape = Schemas["Shape"];
export type ElementPicture = Schemas["ElementPicture"];
export type Output = Schemas["Output"];
export type Channel = Schemas["ChannelDescription"];
export type MakerDescription = Schemas["MakerDescription"];
export type RemovalAnswer = Schemas["RemovalAnswer"];
export type KindDescription = Schemas["KindDescription"];
export type FileFormat = Schemas["FormatDescription"];
export type Look = Schemas["Look"];
export type Step = Layer["paint"][number];
export type Ramp = Schemas["Ramp"];
export type Curve = Schemas["Curve"];
export type Drift = Schemas["Drift"];
export type Component = Schemas["Component"];
export type Stop = Schemas["Stop"];
export type Follow = Schemas["Follow"];
export type FollowColour = Schemas["FollowColour"];
export type FollowDial = Schemas["FollowDial"];
export type FollowMarker = Schemas["FollowMarker"];
export type Following = Follow | FollowColour | FollowDial | FollowMarker;
export type Dial = Schemas["Dial"];
export type DialKey = Schemas["DialKey"];
export type Marker = Schemas["Marker"];
export type Camera = Schemas["Camera"];
export type MarkerKey = Schemas["MarkerKey"];
export type Timeline = Schemas["Timeline"];
export type Asset = Schemas["Asset"];
export type AssetAnswer = Schemas["AssetAnswer"];
export type ShippedList = Schemas["ShippedList"];
export type Painted = Schemas["Painted"];
export type Brush = Schemas["Brush"];
export type ColumnAnswer = Schemas["ColumnAnswer"];
export type Falloff = Schemas["Falloff"];
export type Noise = Schemas["Noise"];
export type Signal = Look["signals"][number];
export type Palette = Schemas["Palette"];
export type Swatch = Schemas["Swatch"];
export type PaletteAnswer = Schemas["PaletteAnswer"];
export type LibraryItem = Schemas["Item"];
export type LibraryKind = LibraryItem["kind"];
export type Vision = NonNullable<Schemas["EvaluationRequest"]["vision"]>;
export type Preview = Schemas["Preview"];
export type StepDescription = Schemas["StepDescription"];
export type StepList = Schemas["StepList"];
export type ElementsAnswer = Schemas["ElementsAnswer"];
export type ImportPreview = Schemas["ImportPreview"];
export type CostAnswer = Schemas["CostAnswer"];
export type ThingPreview = Schemas["ItemPreview"];
export type ImportAnswer = Schemas["ImportAnswer"];
export type SequenceMade = Schemas["SequenceMade"];
export type UploadAnswer = Schemas["UploadAnswer"];
export type Job = Schemas["JobAnswer"];
export type JobList = Schemas["JobList"];
export type MotionAnswer = Schemas["MotionAnswer"];
export type Ways = Schemas["Ways"];

export type Histogram = Schemas["Histogram"];
export type RampCensus = Schemas["RampCensus"];
/** With its kind: one that came as a digest alone is the one that the page has. */
export type StepCensus = Schemas["StepCensus"] & { kind: NonNullable<Schemas["StepCensus"]["kind"]> };
export type Three = [number, number, number];
export type Placed = Schemas["PlacementEntry"];
export type DriftAxis = Schemas["DriftAxis"];
export type Fix = Schemas["Fix"];
export type PatchOperation = Fix["operations"][number];
export type Advisory = Schemas["AdvisoryEntry"];
export type TraceStep = Schemas["TraceStep"];
export type Trace = Schemas["Trace"];
export type FinishOf = Schemas["FinishEntry"];
export type ElementPictureOf = Schemas["PictureEntry"];
export type Material = Schemas["Material"];
export type Reads = Schemas["Reads"];
export type Seen = Schemas["Seen"];
export type Report = Schemas["Report"];
export type LanesAnswer = Schemas["LanesAnswer"];
export type ReportAnswer = Schemas["ReportAnswer"];
/** What the core said about one population, both messages together, and which arrays came with the newest answer. */
export type EvaluationHeader = Seen & Omit<Report, "steps"> & { steps: Record<string, StepCensus>; sent?: string[] };
export type Moment = Schemas["Moment"];
export type PreviewLegend = Schemas["PreviewLegend"];
export type AttributeCensus = Schemas["AttributeCensus"];
export type Level = Schemas["Level"];
export type PopulationHeader = Schemas["PopulationHeader"];
export type SurfaceHeader = Schemas["SurfaceHeader"];
export type ShapeHeader = Schemas["ShapeHeader"];

type TypedArray = Float32Array | Uint8Array | Int32Array;

export interface Packed<Header> {
  header: Header;
  arrays: Record<string, TypedArray>;
}

/** What the server refused, as the sentence it said. */
export class Refused extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    readonly sentence: string,
    readonly place: string,
    readonly fix: Fix | null = null,
    /** Of a look that cannot run: what the steps before give, by their places. */
    readonly kinds: Record<string, string> = {},
  ) {
    super(sentence);
  }
}

async function refusal(response: Response): Promise<Refused> {
  try {
    const said = await response.json();
    return new Refused(response.status, said.code, said.sentence, said.place, said.fix, said.kinds);
  } catch {
    return new Refused(response.status, "unknown", `The server answered ${response.status}.`, "");
  }
}

async function send(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<Response> {
  const response = await fetch(`/api${path}`, {
    method,
    signal,
    headers: body === undefined ? undefined : { "Content-Type": "application/json" },
    body: body === undefined ? undefined : JSON.stringify(body),
  });
  if (!response.ok) throw await refusal(response);
  return response;
}

export async function json<T>(method: string, path: string, body?: unknown): Promise<T> {
  return (await send(method, path, body)).json();
}

export async function binary<Header>(method: string, path: string, body?: unknown, signal?: AbortSignal) {
  return unpack<Header>(await (await send(method, path, body, signal)).arrayBuffer());
}

/** Fetch an answer of several messages; each is told as soon as it has come. */
export async function messages<Header>(path: string, body: unknown, told: (message: Packed<Header>) => void) {
  const reader = (await send("POST", path, body)).body!.getReader();
  let parts: Uint8Array[] = [];
  let length = 0;
  let needed = 8;
  for (let next = await reader.read(); !next.done; next = await reader.read()) {
    parts.push(next.value);
    length += next.value.length;
    // Joined only where as much has come as is needed to go on, since a large message comes in many parts.
    while (length >= needed) {
      const held = joined(parts, length);
      parts = [held];
      const size = sizeOf(held);
      if (size > needed) {
        needed = size;
        continue;
      }
      // A copy, since arrays begin at multiples of 8 of their own buffer.
      told(unpack<Header>(held.slice(0, size).buffer));
      parts = [held.subarray(size)];
      length -= size;
      needed = 8;
    }
  }
}

function joined(parts: Uint8Array[], length: number): Uint8Array<ArrayBuffer> {
  const whole = new Uint8Array(length);
  let at = 0;
  for (const part of parts) {
    whole.set(part, at);
    at += part.length;
  }
  return whole;
}

/** How many bytes the first message has at least; once its header has come, how many it has. */
function sizeOf(data: Uint8Array<ArrayBuffer>): number {
  const start = 8 + new DataView(data.buffer, data.byteOffset).getUint32(4, true);
  if (data.length < start) return start;
  // The size of the arrays stands last in the header, which need not be read for it.
  const end = new TextDecoder().decode(data.subarray(Math.max(8, start - 40), start));
  const arrays = /"size":(\d+)\}\s*$/.exec(end)?.[1];
  if (arrays === undefined) throw new Error("The server's answer cannot be read.");
  return start + Number(arrays);
}

const texts = new WeakMap<object, string>();

/** A document as JSON, written once as long as it does not change. */
export function textOf(document: object): string {
  const text = texts.get(document) ?? JSON.stringify(document);
  texts.set(document, text);
  return text;
}

/** A scene with its populations as texts, so that those that did not change need not be written or read again. */
export const folded = (scene: Scene) => ({ ...scene, populations: scene.populations.map(textOf) });

/** Fetch a file; `progress` hears the part that has come, and the signal stops it. */
export async function fetchFile(method: "GET" | "POST", path: string, body?: unknown, progress?: (part: number) => void, signal?: AbortSignal): Promise<{ blob: Blob; name: string }> {
  const response = await send(method, path, body, signal);
  const name = /filename="([^"]+)"/.exec(response.headers.get("Content-Disposition") ?? "")?.[1] ?? "download";
  const whole = Number(response.headers.get("Content-Length"));
  const reader = response.body?.getReader();
  const parts: Uint8Array<ArrayBuffer>[] = [];
  let come = 0;
  for (let next = await reader?.read(); next && !next.done; next = await reader?.read()) {
    parts.push(next.value);
    come += next.value.length;
    if (whole) progress?.(come / whole);
  }
  return { blob: new Blob(parts, { type: response.headers.get("Content-Type") ?? "" }), name };
}

/** Send a file; `progress` hears the part that has been sent, and the signal stops it. */
export function upload<T>(path: string, data: File, progress: (part: number) => void, signal: AbortSignal): Promise<T> {
  // XMLHttpRequest, because fetch does not tell how much of a body has been sent.
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", `/api${path}${path.includes("?") ? "&" : "?"}name=${encodeURIComponent(data.name)}`);
    request.setRequestHeader("Content-Type", "application/octet-stream");
    request.responseType = "json";
    request.upload.onprogress = (event) => event.lengthComputable && progress(event.loaded / event.total);
    request.onload = () => {
      const said = request.response;
      if (request.status < 400) resolve(said as T);
      else reject(new Refused(request.status, said?.code ?? "unknown", said?.sentence ?? `The server answered ${request.status}.`, said?.place ?? ""));
    };
    request.onerror = () => reject(new Refused(0, "offline", "The file could not be sent. Is the server still running?", ""));
    request.onabort = () => reject(new DOMException("Stopped", "AbortError"));
    signal.addEventListener("abort", () => request.abort());
    request.send(data);
  });
}

const ARRAY_TYPES = { float32: Float32Array, uint8: Uint8Array, int32: Int32Array } as const;

interface Listed {
  name: string;
  dtype: keyof typeof ARRAY_TYPES;
  shape: number[];
  offset: number;
}

/** The inverse of the server's binary layout (web/binary.py). */
export function unpack<Header>(data: ArrayBuffer): Packed<Header> {
  const magic = new TextDecoder().decode(new Uint8Array(data, 0, 4));
  if (magic !== "GSB1") throw new Error("The server's answer cannot be read.");
  const size = new DataView(data).getUint32(4, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 8, size)));
  const arrays: Record<string, TypedArray> = {};
  for (const { name, dtype, shape, offset } of header.arrays as Listed[]) {
    const length = shape.reduce((a, b) => a * b, 1);
    arrays[name] = new ARRAY_TYPES[dtype](data, 8 + size + offset, length);
  }
  return { header, arrays };
}
