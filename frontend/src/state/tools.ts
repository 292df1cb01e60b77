/** Tools of the view: markers, pictures of the scene, painted columns and strokes. */
import { type Asset, type AssetAnswer, type Brush, type ColumnAnswer, folded, json, type Marker, type Painted, type Scene, type Three, upload } from "../api/client";
import { useStore } from "./base";
import { commit, draft, edit, editPopulation, expected } from "./document";
import { free, withPopulation } from "./edits";
import { tell } from "./notices";
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
}

function put(id: string, column: string, painted: Painted) {
  draft((scene) => withPopulation(scene, id, (p) => ({ ...p, painted: p.painted.map((c) => (c.name === column ? painted : c)) })));
}

async function stroked(id: string, column: string, brush: Brush, dabs: Three[], last: boolean): Promise<void> {
  const { painted } = await json<ColumnAnswer>("POST", "/strokes", { scene: folded(get().scene!), population: id, column, brush, dabs, last });
  put(id, column, painted);
}

/** One stroke: the places that the brush goes to are sent as they come, one request after another; its end is one edit. */
export class StrokeUnderWay {
  private waiting: Three[] = [];
  private flight: Promise<void> = Promise.resolve();
  private flying = false;
  private readonly before: Scene;

  constructor(
    private readonly population: string,
    private readonly column: string,
    private readonly brush: Brush,
  ) {
    this.before = get().scene!;
  }

  /** Dabs in the population's own space. */
  add(dabs: Three[]) {
    this.waiting.push(...dabs);
    if (!this.flying) this.send();
  }

  private send() {
    const dabs = this.waiting.splice(0, 5000);
    this.flying = true;
    this.flight = stroked(this.population, this.column, this.brush, dabs, false)
      .catch((error) => this.failed(error as Error))
      .finally(() => {
        this.flying = false;
        if (this.waiting.length > 0) this.send();
      });
  }

  private broken = false;

  private failed(error: Error) {
    this.broken = true;
    this.waiting = [];
    tell(error.message);
  }

  /** Keep it: the last part is stored before it is saved, so that nothing shown as saved can be lost. */
  end() {
    return expected(this.kept());
  }

  private async kept() {
    while (this.flying) await this.flight;
    if (this.broken) return draft(() => this.before);
    try {
      await stroked(this.population, this.column, this.brush, [], true);
      commit(`Paint ${this.column}`);
    } catch (error) {
      draft(() => this.before);
      tell((error as Error).message);
    }
  }
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
