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
export type ThingPreview = Schemas["ThingPreview"];
export type ImportAnswer = Schemas["ImportAnswer"];
export type SequenceMade = Schemas["SequenceMade"];
export type UploadAnswer = Schemas["UploadAnswer"];
export type Job = Schemas["JobAnswer"];
export type JobList = Schemas["JobList"];
export type Ways = Schemas["Ways"];

export interface Histogram {
  low: number;
  high: number;
  bins: number[];
  below: number;
  above: number;
  least: number;
  greatest: number;
}

export interface RampCensus {
  bar: string;
  incoming: Histogram;
  counts: number[];
  /** Where each stop stands and its colour; means where they differ from element to element. */
  places: number[];
  colours: string[];
  reached: number;
}

export interface StepCensus {
  /** Names it by content. */
  digest: string;
  kind: "number" | "vector" | "colour";
  numbers?: Histogram;
  flow?: [number, number][];
  colours?: { swatches: string; columns: number; rows: number };
  ramp?: RampCensus;
  /** Heights of a curve step over 0..1, its points as they are drawn, and what comes into it. */
  curve?: number[];
  points?: number[][];
  incoming?: Histogram;
  facts?: Record<string, number>;
  /** What every part of the incoming colours or vectors would give. */
  parts?: Record<string, Histogram>;
  /** Of a drift: each component's ends as drawn, its axis in colours, and the colours at the ends. */
  drift?: Record<string, DriftAxis>;
  /** The part of 0..1 that values reach. */
  reached?: number;
  /** How many elements each swatch of a palette has, and its colour; the mean where it differs from element to element. */
  palette?: { counts: number[]; colours: string[] };
  /** Where a step's placement stands in the space that it is measured in, also where it was fitted. */
  placement?: Placed;
  /** Of a noise: patches along each axis of the elements' box, and the size of one. */
  patches?: { across: [number, number, number]; size: number };
  /** Of a picture: its size in texels. */
  picture?: { width: number; height: number };
}

export type Three = [number, number, number];

export interface Placed {
  centre: Three;
  size: Three;
  end: Three;
  turn?: Three;
  /** In whose space these numbers are. */
  space: "own" | "scene";
}

export interface DriftAxis {
  ends: [number, number];
  bar: string;
  colours: [string, string];
}

export interface PatchOperation {
  op: "add" | "replace" | "remove";
  path: string;
  value?: unknown;
}

export interface Fix {
  label: string;
  operations: PatchOperation[];
  /** What is done to the population in place of an edit of the look. */
  action: "" | "subdivide";
}

export interface Advisory {
  code: string;
  place: string;
  sentence: string;
  fixes: Fix[];
}

export interface TraceStep {
  place: string;
  kind: "number" | "vector" | "colour";
  number?: number;
  vector?: number[];
  colour?: string;
  stop?: number;
  at?: number;
}

export interface Trace {
  element: number;
  id: number;
  /** Of each level above: which of its owners the element belongs to. */
  owners: { level: string; number: number; name: string }[];
  steps: TraceStep[];
  result: string;
  /** Of a strand's point: which of its points it is, how far along that lies, and the strand's tones from root to tip. */
  strand: { points: number; point: number; along: number; first: number; tones: string[] } | null;
}

/** A finish as numbers; colours as levels of the display, null where it follows the base colour. */
export interface FinishOf {
  name: string;
  metalness: number[];
  roughness: number[];
  transmission: number[];
  subsurface: number[];
  subsurface_colour: number[] | null;
  subsurface_radius: number[];
  emission_colour: number[];
  emission_strength: number[];
  opacity: number[];
}

/** Under what a picture on elements is asked for, and how it lies on their uv. */
export interface ElementPictureOf {
  key: string;
  source: string;
  picture: object;
  /** From uv to the picture, two rows of three. */
  into: number[];
  cut: boolean;
  threshold: number;
  through: number;
}

/** Finishes, shapes, and how opacity and offset go. */
export interface Material {
  finishes: FinishOf[];
  shapes: { key: string; size: number; picture: ElementPictureOf | null }[];
  threshold: number | null;
  along: "normal" | "up" | "ways";
  up: [number, number, number];
  /** How many rows the table of each lane has that ends per pixel. */
  tables: Record<string, number>;
  /** The digests of what comes with the lanes, by name. */
  also: Record<string, string>;
}

/** Ids of other populations, names of assets and markers; "*" where whatever there is makes a difference. */
export interface Reads {
  populations: string[];
  assets: string[];
  markers: string[];
}

/** What comes first about a population: what the view needs. */
export type Seen = Pick<EvaluationHeader, "error" | "reads" | "count" | "shape" | "shown" | "made" | "placement" | "computed" | "reused" | "timed" | "lanes" | "material" | "sent" | "preview">;
/** What is told after it. */
export type Report = Omit<EvaluationHeader, keyof Seen>;

/** What the core said about one population, both messages together. */
export interface EvaluationHeader {
  error: { code: string; sentence: string; place: string; fix: Fix | null } | null;
  count: number;
  /** As drawn and whether shown, with what follows a dial put in. */
  shape: string;
  shown: boolean;
  /** Names what is made of it; geometry of another name is fetched again. */
  made: string;
  /** What of the scene it depends on beside its own document, through whatever chain; null where that is not known. */
  reads: Reads | null;
  /** From its own space into the scene's, 16 numbers column by column. */
  placement: number[];
  computed: string[];
  reused: number;
  /** Whether anything of it depends on the time. */
  timed: boolean;
  /** The digest of each lane's values, by channel. */
  lanes: Record<string, string>;
  /** What the view draws with the channels. */
  material: Material;
  /** The arrays that came with the newest answer. */
  sent?: string[];
  groups: { digest: string; counts: number[]; colours: (string | null)[]; place: string | null; weighed: number[] | null };
  /** The place of each signal's last step. */
  signals: Record<string, string>;
  steps: Record<string, StepCensus>;
  advisories: Advisory[];
  /** How many elements have each shape and finish, where there are several; how many times over clones cover what they stand on. */
  shares: { shape?: number[]; finish?: number[]; coverage?: number | null };
  trace: Trace | null;
  /** What the colours stand for where they show a value, not the result. */
  preview: PreviewLegend | null;
}

/** The answer about several populations; arrays are named "population/channel", "population/groups", "population/preview". */
export interface EvaluationAnswer {
  sequence: number;
  /** In the first message what is seen, in the second what is told; none there where a newer request has overtaken this one. */
  populations: Record<string, Seen | Report>;
  /** With the second message: what could not be told. */
  errors?: Record<string, { code: string; sentence: string; place: string }>;
  milliseconds: number;
  /** With the first message: what has keys, as it is at the frame. */
  moment?: Moment;
}

export interface Moment {
  markers: Record<string, Three>;
  dials: Record<string, number | string>;
}

/** The scale of a value that is shown: its colours, what its ends stand for, and the part of the elements beyond them. */
export interface PreviewLegend {
  ends: [number, number] | null;
  bar: string;
  trimmed: number;
}

export interface AttributeCensus {
  name: string;
  kind: "number" | "integer" | "vector" | "colour" | "text";
  level: string;
  width: number;
  census: Histogram | null;
  /** Of a vector that of each component. */
  parts: Histogram[];
  texts: number;
  derived: boolean;
  unreadable: number;
  /** What it is in space, or nothing. */
  role: string;
}

/** A level at which attributes live, and how many there are. The first is that of the elements. */
export interface Level {
  name: string;
  count: number;
}

export interface PopulationHeader {
  kind: string;
  /** What the view draws it with. */
  drawn: string;
  /** Names what was made. */
  made: string;
  faces: number;
  /** How long the server took. */
  milliseconds: number;
  /** The stand-in surface that it stands on, where there is one. */
  ground: string | null;
  /** Why steps of some words can do nothing for these elements. */
  unfit: Record<string, string>;
  count: number;
  notes: string[];
  levels: Level[];
  attributes: AttributeCensus[];
  low: [number, number, number];
  high: [number, number, number];
}

export interface SurfaceHeader {
  name: string;
  low: [number, number, number];
  high: [number, number, number];
}

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
  ) {
    super(sentence);
  }
}

async function refusal(response: Response): Promise<Refused> {
  try {
    const said = await response.json();
    return new Refused(response.status, said.code, said.sentence, said.place, said.fix);
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
