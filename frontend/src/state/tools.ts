/** Tools of the view: markers, pictures of the scene, painted columns and strokes. */
import { type Asset, type AssetAnswer, type Brush, type ColumnAnswer, folded, json, type Marker, type Painted, Refused, type Scene, type Three, upload } from "../api/client";
import { useStore } from "./base";
import { again, commit, draft, edit, editPopulation, expected, waiting } from "./document";
import { free, withPopulation } from "./edits";
import { tell } from "./notices";
import { passes, RETRY } from "./saver";
import { attributesOf } from "./selection";
import { withKey } from "./time";

const { setState: set, getState: get } = useStore;
const round = (n: number) => Math.round(n * 1000) / 1000;

// Markers

export function withMarker(scene: Scene, name: string, change: (marker: Marker) => Marker): Scene {
  return { ...scene, markers: scene.markers.map((m) => (m.name === name ? change(m) : m)) };
}

export function addMarker(position: Three): string {
  const name = free("marker", (get().scene?.markers ?? []).map((m) => m.name), " ");
  edit(`Add ${name}`, (scene) => ({ ...scene, markers: [...scene.markers, { name, position: position.map(round) as Three, keys: [] }] }));
  return name;
}

/** The marker at another place; with keys, at the present frame. */
export function movedMarker(marker: Marker, to: Three): Marker {
  const place = to.map(round) as Three;
  return marker.keys.length > 0 ? withKey(marker, get().frame, place) : { ...marker, position: place };
}

// Pictures

/** Take a picture into the scene, in place of one of that name or as a new one; what all read of that name follows. */
export async function takePicture(file: File, instead?: string) {
  try {
    const { asset, notes } = await upload<AssetAnswer>("/assets", file, () => undefined, new AbortController().signal);
    if (instead !== undefined) {
      const put = (a: Asset) => (a.name === instead ? { ...asset, name: instead } : a);
      edit(`Replace the ${asset.kind} ${instead}`, (scene) => ({ ...scene, assets: scene.assets.map(put) }));
    } else {
      const name = free(asset.name, [...(get().scene?.assets ?? []), ...get().shipped].map((a) => a.name), " ");
      edit(`Add the ${asset.kind} ${name}`, (scene) => ({ ...scene, assets: [...scene.assets, { ...asset, name }] }));
    }
    if (notes.length > 0) tell(notes.join(" "));
  } catch (error) {
    tell((error as Error).message);
  }
}

// Painting

export function addPainted(kind: "number" | "colour"): string {
  const name = addColumn(kind === "colour" ? "paint" : "weight", { kind, fill: kind === "colour" ? "#808080" : 0, role: "" });
  pickBrush(name, kind);
  return name;
}

/** A column of one's own, the same for all until it is painted; returns its name. */
export function addColumn(wanted: string, of: Pick<Painted, "kind" | "fill" | "role">): string {
  const taken = attributesOf(get()).map((a) => a.name);
  const name = free(wanted, taken, "_");
  editPopulation(`Add the column ${name}`, (p) => ({ ...p, painted: [...p.painted, { name, digest: "", subdivision: 0, ...of }] }));
  return name;
}

/** Take the brush to a painted column. */
export function pickBrush(column: string, kind: Painted["kind"]) {
  const { brush } = get();
  const fits = (typeof brush.value === "string") === (kind === "colour");
  set({ tool: { kind: "paint", column }, brush: fits ? brush : { ...brush, value: kind === "colour" ? "#c8553d" : 1 } });
  // What is painted is seen while the brush is out.
  set({ pinned: { of: "attribute", name: column, scale: get().scale }, preview: null });
}

useStore.subscribe((state, last) => {
  const column = last.tool?.kind === "paint" ? last.tool.column : null;
  const still = state.tool?.kind === "paint" ? state.tool.column : null;
  if (column === null || column === still) return;
  if (state.pinned?.of === "attribute" && state.pinned.name === column) set({ pinned: null });
});

function put(id: string, column: string, painted: Painted) {
  draft((scene) => withPopulation(scene, id, (p) => ({ ...p, painted: p.painted.map((c) => (c.name === column ? painted : c)) })));
}

async function stroked(id: string, column: string, brush: Brush, dabs: Three[], last: boolean): Promise<void> {
  const { painted } = await json<ColumnAnswer>("POST", "/strokes", { scene: folded(get().scene!), population: id, column, brush, dabs, last });
  put(id, column, painted);
}

/** The stroke before this one: each is worked out over what the one before it gave. */
let before: Promise<unknown> = Promise.resolve();

/** One stroke: the places that the brush goes to are sent as they come, one request after another; its end is one edit.
 *
 *  All of them are kept here until the end is stored: what the server had worked out is gone when it stops, and is then
 *  sent again from the beginning.
 */
export class StrokeUnderWay {
  private readonly dabs: Three[] = [];
  /** How many of them are in the column that is shown. */
  private sent = 0;
  private flying: Promise<void> | null = null;
  private state: "well" | "lost" | "refused" = "well";
  private why: Error | null = null;
  /** The column as it was, to begin from again. */
  private from: Painted | null = null;
  private readonly turn: Promise<unknown>;
  private readonly kept: Promise<void>;
  private finish: () => void = () => undefined;

  constructor(
    private readonly population: string,
    private readonly column: string,
    private readonly brush: Brush,
  ) {
    this.turn = before;
    this.kept = new Promise<void>((resolve) => (this.finish = resolve));
    before = this.kept;
  }

  /** Dabs in the population's own space. */
  add(dabs: Three[]) {
    this.dabs.push(...dabs);
    void this.send();
  }

  private send(): Promise<void> {
    if (!this.flying) {
      this.flying = this.sendAll().finally(() => (this.flying = null));
    }
    return this.flying;
  }

  /** All that has come, in parts; after a failure nothing more is sent before the end. */
  private async sendAll() {
    await this.turn;
    this.from ??= columnOf(this.population, this.column);
    // At least once: what sets all has no dabs.
    do {
      if (this.state !== "well") return;
      const part = this.dabs.slice(this.sent, this.sent + 5000);
      try {
        await stroked(this.population, this.column, this.brush, part, false);
        this.sent += part.length;
      } catch (error) {
        this.failed(error as Error);
      }
    } while (this.state === "well" && this.sent < this.dabs.length);
  }

  private failed(error: Error) {
    // A server that has stopped in between does not know the part before this one.
    const lost = passes(error) || (this.sent > 0 && error instanceof Refused && error.code === "column_gone");
    this.state = lost ? "lost" : "refused";
    this.why = error;
    if (!lost) tell(error.message);
    this.sent = 0;
    if (this.from) put(this.population, this.column, this.from);
  }

  /** Keep it: the last part is stored before it is saved, so that nothing shown as saved can be lost. */
  end() {
    return expected(this.keep().finally(this.finish));
  }

  private async keep() {
    while (this.flying) await this.flying;
    await this.turn;
    while (this.state !== "refused") {
      if (await this.stored()) return commit(`Paint ${this.column}`);
      await new Promise((resolve) => setTimeout(resolve, this.is("lost") ? RETRY : 0));
    }
  }

  /** Whether all of it lies in the store now; what is missing is sent before. */
  private async stored(): Promise<boolean> {
    if (this.state === "lost" || this.sent < this.dabs.length) {
      this.state = "well";
      await this.send();
    }
    if (this.is("well")) {
      again();
      try {
        await stroked(this.population, this.column, this.brush, [], true);
        return true;
      } catch (error) {
        this.failed(error as Error);
      }
    }
    if (this.is("lost")) waiting(this.why);
    return false;
  }

  private is(state: "well" | "lost" | "refused"): boolean {
    return this.state === state;
  }
}

function columnOf(population: string, column: string): Painted | null {
  return get().scene?.populations.find((p) => p.id === population)?.painted.find((c) => c.name === column) ?? null;
}

/** A stroke at once: set all, or one dab by key. */
export async function strokeOnce(population: string, column: string, brush: Brush, dabs: Three[]) {
  const stroke = new StrokeUnderWay(population, column, brush);
  if (dabs.length > 0 || brush.way === "set_all") stroke.add(dabs);
  await stroke.end();
}

/** A column of what a signal gives now. */
export async function keepValues(signal: string) {
  const { scene, chosen, frame } = get();
  if (!scene) return;
  const taken = attributesOf(get()).map((a) => a.name);
  const name = free(`${signal}_kept`, taken, "_");
  try {
    const { painted } = await json<ColumnAnswer>("POST", "/kept-values", { scene: folded(scene), population: chosen, signal, name, frame });
    editPopulation(`Keep the values of ${signal}`, (p) => ({ ...p, painted: [...p.painted, painted] }));
  } catch (error) {
    tell((error as Error).message);
  }
}
