/** Autosave: one request at a time, each edit a revision, in order; an edit is never dropped. */
import { json, Refused, type Scene, type SceneAnswer } from "../api/client";

export type SaveState = "saved" | "saving" | "offline" | "conflict" | "refused";

interface Pending {
  document: Scene;
  label: string;
  /** The edit's own name: sent again after an answer was lost, it is not saved again. */
  edit: string;
  /** What it began from; null where that is not known. */
  before: Scene | null;
}

export const RETRY = 1500;
const OFFLINE = "The server cannot be reached; your edits wait here and are tried again.";

function ownName(): string {
  return crypto.randomUUID?.() ?? `${Date.now()}-${Math.random()}`;
}

/** Whether the same request may be taken later: no answer came, or the data file cannot be written just now. */
export function passes(error: unknown): boolean {
  return !(error instanceof Refused) || error.status >= 500;
}

export class Saver {
  private queue: Pending[] = [];
  private busy = false;
  /** Another window has gone on: what is edited here waits until it is saved as a copy or given up. */
  private parted = false;
  private idle: (() => void)[] = [];
  /** Edits on their way here, and how it was told last. */
  private coming = 0;
  private state: SaveState = "saved";
  /** Whether the last try to save found no server; tried again now and then, it stays away until one succeeds. */
  private away = false;
  private moving: Promise<unknown> = Promise.resolve();
  /** The newest document, and what was taken back while the server was away. */
  private last: Scene | null = null;
  private undone: Pending[] = [];

  constructor(
    private readonly scene: string,
    private base: number,
    private readonly told: (state: SaveState, answer: SceneAnswer | null, sentence: string) => void,
    /** What an edit waits for before it is sent, so that the server works on what is seen first. */
    private readonly turn: () => Promise<void>,
  ) {}

  private report(state: SaveState, answer: SceneAnswer | null, sentence: string) {
    this.state = state;
    this.told(state, answer, sentence);
  }

  save(document: Scene, label: string) {
    this.queue.push({ document, label, edit: ownName(), before: this.last });
    this.last = document;
    this.undone = [];
    void this.run();
  }

  /** The document that is shown, which the next edit begins from. */
  shows(document: Scene) {
    this.last = document;
    this.undone = [];
  }

  /**
   * While the server is away: the document before the newest edit that waits, or with "redo" after one that was taken
   * back; null where there is none, or where the server can be asked.
   */
  travelHere(to: "undo" | "redo"): Scene | null {
    if ((!this.away && this.state !== "offline") || (to === "undo" ? this.queue.length === 0 : this.undone.length === 0)) return null;
    if (to === "redo") {
      const again = this.undone.pop()!;
      const rest = this.undone;
      this.save(again.document, again.label);
      this.undone = rest;
      return again.document;
    }
    const newest = this.queue.at(-1)!;
    if (newest.before === null) return null;
    this.undone.push(newest);
    // The first may have been stored although no answer came, so it is not taken back but followed by what was before.
    if (this.queue.length > 1) this.queue.pop();
    else this.queue.push({ document: newest.before, label: `Undo: ${newest.label}`.slice(0, 100), edit: ownName(), before: null });
    this.last = newest.before;
    return newest.before;
  }

  /** Work that ends with an edit, or gives it up: until then nothing counts as saved. */
  async expect(work: Promise<void>) {
    this.coming++;
    if (this.state === "saved") this.report("saving", null, "");
    await work.finally(() => {
      this.coming--;
      this.rest();
    });
  }

  /** Work that is expected cannot be sent now; it waits, as edits do. */
  waiting(error: unknown) {
    this.report("offline", null, error instanceof Refused ? error.sentence : OFFLINE);
  }

  /** It goes on. */
  again() {
    if (this.state === "offline" && !this.busy) this.report("saving", null, "");
  }

  /** Where nothing is left to do, those who wait for that go on. */
  private rest() {
    if (this.busy || this.coming > 0) return;
    if (this.state === "saving" || (this.state === "offline" && this.queue.length === 0)) this.report("saved", null, "");
    for (const resolve of this.idle.splice(0)) resolve();
  }

  /** Resolves when everything is saved, or cannot be. */
  settled(): Promise<void> {
    if (!this.busy && this.coming === 0 && (this.queue.length === 0 || this.parted)) return Promise.resolve();
    return new Promise((resolve) => this.idle.push(resolve));
  }

  /** Undo, redo or show another state, each after the one before it, so that answers come in order however fast the keys are. */
  move(to: "undo" | "redo" | number): Promise<SceneAnswer> {
    const next = this.moving.then(() => this.moveNow(to));
    this.moving = next.catch(() => undefined);
    return next;
  }

  private async moveNow(to: "undo" | "redo" | number): Promise<SceneAnswer> {
    await this.settled();
    try {
      const asked = this.asked(to);
      // Until its answer is here, what is stored is not what will be shown.
      await this.expect(asked.then(() => undefined));
      const answer = await asked;
      this.base = answer.revision;
      return answer;
    } catch (error) {
      if (error instanceof Refused && error.code === "conflict") this.part(error.sentence);
      throw error;
    }
  }

  private async asked(to: "undo" | "redo" | number): Promise<SceneAnswer> {
    const path = `/scenes/${this.scene}/${typeof to === "number" ? "states" : to}`;
    try {
      return await json<SceneAnswer>("POST", path, typeof to === "number" ? { base: this.base, revision: to } : { base: this.base });
    } catch (error) {
      if (error instanceof Refused) throw error;
      // It may have been done although no answer came: what is shown now tells.
      const now = await json<SceneAnswer>("GET", `/scenes/${this.scene}`);
      if (now.revision === this.base) throw error;
      return now;
    }
  }

  private part(sentence: string) {
    this.parted = true;
    this.report("conflict", null, sentence);
  }

  private async run() {
    if (this.busy || this.parted) return;
    this.busy = true;
    while (this.queue.length > 0 && !this.parted) {
      const next = this.queue[0]!;
      // While it is away each new try shows nothing: only its end does.
      if (!this.away) this.report("saving", null, "");
      await this.turn();
      try {
        const { document, label, edit } = next;
        const answer = await json<SceneAnswer>("PUT", `/scenes/${this.scene}`, { base: this.base, document, label, edit });
        this.base = answer.revision;
        this.away = false;
        this.queue.shift();
        if (this.queue.length === 0) this.report(this.coming > 0 ? "saving" : "saved", answer, "");
      } catch (error) {
        this.away = passes(error);
        if (this.away) {
          this.report("offline", null, error instanceof Refused ? error.sentence : OFFLINE);
          await new Promise((resolve) => setTimeout(resolve, RETRY));
        } else if ((error as Refused).code === "conflict") {
          this.part((error as Refused).sentence);
        } else {
          // The draft stays on screen with the reason; the next edit sends all of it again.
          this.queue.shift();
          this.report("refused", null, (error as Refused).sentence);
        }
      }
    }
    this.busy = false;
    this.rest();
  }
}
