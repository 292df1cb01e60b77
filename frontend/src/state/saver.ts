/** Autosave: one request at a time, each edit a revision, in order. */
import { json, Refused, type Scene, type SceneAnswer } from "../api/client";

export type SaveState = "saved" | "saving" | "offline" | "conflict" | "refused";

interface Pending {
  document: Scene;
  label: string;
}

export class Saver {
  private queue: Pending[] = [];
  private busy = false;
  private idle: (() => void)[] = [];
  private moving: Promise<unknown> = Promise.resolve();

  constructor(
    private readonly scene: string,
    private base: number,
    private readonly report: (state: SaveState, answer: SceneAnswer | null, sentence: string) => void,
  ) {}

  save(document: Scene, label: string) {
    this.queue.push({ document, label });
    void this.run();
  }

  /** Resolves when everything is saved. */
  settled(): Promise<void> {
    if (!this.busy && this.queue.length === 0) return Promise.resolve();
    return new Promise((resolve) => this.idle.push(resolve));
  }

  /** Undo or redo, each after the one before it, so that answers come in order however fast the keys are. */
  move(direction: "undo" | "redo"): Promise<SceneAnswer> {
    const next = this.moving.then(() => this.moveNow(direction));
    this.moving = next.catch(() => undefined);
    return next;
  }

  private async moveNow(direction: "undo" | "redo"): Promise<SceneAnswer> {
    await this.settled();
    const answer = await json<SceneAnswer>("POST", `/scenes/${this.scene}/${direction}`);
    this.base = answer.revision;
    return answer;
  }

  private async run() {
    if (this.busy) return;
    this.busy = true;
    while (this.queue.length > 0) {
      const next = this.queue[0]!;
      this.report("saving", null, "");
      try {
        const body = { base: this.base, ...next };
        const answer = await json<SceneAnswer>("PUT", `/scenes/${this.scene}`, body);
        this.base = answer.revision;
        this.queue.shift();
        if (this.queue.length === 0) this.report("saved", answer, "");
      } catch (error) {
        if (!(error instanceof Refused)) {
          this.report("offline", null, "The server cannot be reached; your edits wait here and are tried again.");
          await new Promise((resolve) => setTimeout(resolve, 1500));
          continue;
        }
        // A document that cannot be taken is not kept; the draft stays on screen with the reason.
        this.queue.shift();
        if (error.code === "conflict") this.queue = [];
        this.report(error.code === "conflict" ? "conflict" : "refused", null, error.sentence);
      }
    }
    this.busy = false;
    for (const resolve of this.idle.splice(0)) resolve();
  }
}
