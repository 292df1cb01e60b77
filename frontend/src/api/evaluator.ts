/** Evaluation of drafts: what is asked of each population, the newest wins, none pile up. */
import { folded, messages, type Packed, type Preview, Refused, type Scene, type LanesAnswer, type ReportAnswer, type Vision } from "./client";

export type Weigh = "count" | "size" | "opacity" | "density";

/** What is wanted of one population. */
export interface Wanted {
  trace: number | null;
  /** Of elements that come and go the id of the one that is traced. */
  trace_id?: number | null;
  preview: Preview | null;
  /** Whether the distributions of the steps are wanted too. */
  census: boolean;
  /** What shares are measured by. */
  weigh: Weigh;
}

interface Handlers {
  /** The digests of the arrays that the page has of a population. */
  have: (population: string) => Record<string, string>;
  /** The digests of the censuses that the page has of a population. */
  known: (population: string) => string[];
  /** The scene and the way of seeing of now. */
  now: () => { scene: Scene; vision: Vision | null; frame: number };
  /** The first message about some populations: what the view needs; how long ago it was asked for, and of which scene. */
  seen: (answer: Packed<LanesAnswer>, populations: string[], took: number, frame: number, scene: Scene) => void;
  /** The second one: what is told of them. */
  told: (answer: Packed<ReportAnswer>, populations: string[]) => void;
  /** Nothing came of some populations of a scene. */
  failed: (error: Refused, populations: string[], scene: Scene) => void;
}

/** A second request may go out while the first is this old, so that the server can drop the first. */
const OVERTAKE_AFTER = 250;

export class EvaluationQueue {
  private readonly session = crypto.randomUUID?.() ?? String(Math.random()).slice(2);
  private sequence = 0;
  /** The newest request whose answer is shown, for each population. */
  private readonly shown = new Map<string, number>();
  private readonly flying = new Map<number, number>();
  /** What has not been answered yet, in flight or not. */
  private readonly due = new Map<string, Wanted>();
  private waiting = false;
  /** Those in flight of which nothing has come yet. */
  private readonly unseen = new Set<number>();
  private hearers: (() => void)[] = [];

  constructor(private readonly handlers: Handlers) {}

  /** Ask for some populations; replaces whatever was waiting for them. */
  ask(wanted: [string, Wanted][]) {
    for (const [population, of] of wanted) this.due.set(population, of);
    this.waiting ||= wanted.length > 0;
    this.next();
  }

  /** Resolves once what is seen has come of all that was asked for, or after so many milliseconds. */
  quiet(most: number): Promise<void> {
    if (!this.waiting && this.unseen.size === 0) return Promise.resolve();
    return new Promise((resolve) => {
      this.hearers.push(resolve);
      setTimeout(resolve, most);
    });
  }

  private hasCome(sequence: number) {
    this.unseen.delete(sequence);
    if (!this.waiting && this.unseen.size === 0) for (const hear of this.hearers.splice(0)) hear();
  }

  private next() {
    if (!this.waiting || this.due.size === 0) return;
    const oldest = Math.min(...this.flying.values());
    const crowded = this.flying.size >= 2 || (this.flying.size === 1 && performance.now() - oldest < OVERTAKE_AFTER);
    if (crowded) return;
    this.waiting = false;
    // All that is due: a newer request overtakes an older one, and so must ask for what that one asked for.
    void this.fly(new Map(this.due));
  }

  private async fly(batch: Map<string, Wanted>) {
    const sequence = ++this.sequence;
    const began = performance.now();
    const { scene, vision, frame } = this.handlers.now();
    const known = new Set(scene.populations.map((p) => p.id));
    for (const id of batch.keys()) if (!known.has(id)) batch.delete(id);
    const ids = [...batch.keys()];
    if (ids.length === 0) return;
    this.flying.set(sequence, began);
    this.unseen.add(sequence);
    const late = setTimeout(() => this.next(), OVERTAKE_AFTER + 5);
    try {
      const body = {
        scene: folded(scene),
        wanted: ids.map((id) => ({ population: id, have: this.handlers.have(id), known: this.handlers.known(id), ...batch.get(id)! })),
        vision,
        frame,
        session: this.session.slice(0, 36),
        sequence,
      };
      let fresh: string[] | null = null;
      await messages<LanesAnswer | ReportAnswer>("/evaluations", body, (answer) => {
        if (fresh === null) {
          fresh = this.newer(ids, sequence);
          if (fresh.length > 0) this.handlers.seen(answer as Packed<LanesAnswer>, fresh, performance.now() - began, frame, scene);
          this.hasCome(sequence);
        } else {
          const told = answer as Packed<ReportAnswer>;
          // What a newer answer has come for since is told by that one.
          const still = fresh.filter((id) => this.shown.get(id) === sequence && told.header.populations[id]);
          if (still.length > 0) this.handlers.told(told, still);
          for (const [id, wrong] of Object.entries(told.header.errors)) {
            if (fresh.includes(id) && this.shown.get(id) === sequence) this.handlers.failed(new Refused(422, wrong.code, wrong.sentence, wrong.place), [id], scene);
          }
        }
      });
      this.answered(batch);
    } catch (error) {
      const overtaken = error instanceof Refused && error.code === "overtaken";
      if (!overtaken) {
        const offline = new Refused(0, "offline", "The server cannot be reached. Is it still running?", "");
        const fresh = this.newer(ids, sequence);
        if (fresh.length > 0) this.handlers.failed(error instanceof Refused ? error : offline, fresh, scene);
        this.answered(batch);
      }
    } finally {
      clearTimeout(late);
      this.flying.delete(sequence);
      this.next();
      this.hasCome(sequence);
    }
  }

  /** Those of which nothing newer is shown; from now on this is the newest. */
  private newer(ids: string[], sequence: number): string[] {
    const found = ids.filter((id) => sequence > (this.shown.get(id) ?? 0));
    for (const id of found) this.shown.set(id, sequence);
    return found;
  }

  private answered(batch: Map<string, Wanted>) {
    for (const [id, wanted] of batch) if (this.due.get(id) === wanted) this.due.delete(id);
  }
}
