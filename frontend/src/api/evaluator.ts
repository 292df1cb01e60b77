/** Evaluation of drafts: the newest request wins and none pile up. */
import { binary, type EvaluationHeader, type Packed, type Preview, Refused, type Scene, type Vision } from "./client";

export interface Wanted {
  scene: Scene;
  population: string;
  trace: number | null;
  preview: Preview | null;
  /** Colours as they look with a dichromacy. */
  vision: Vision | null;
  /** Whether the distributions of the steps are wanted too. */
  census: boolean;
}

export type Evaluated = Packed<EvaluationHeader>;

interface Handlers {
  done: (result: Evaluated, took: number) => void;
  failed: (error: Refused) => void;
}

/** A second request may go out while the first is this old, so that the server can drop the first. */
const OVERTAKE_AFTER = 250;

export class EvaluationQueue {
  private readonly session = crypto.randomUUID?.() ?? String(Math.random()).slice(2);
  private sequence = 0;
  private shown = 0;
  private flying = new Map<number, number>();
  private waiting: Wanted | null = null;

  constructor(
    private readonly channel: string,
    private readonly handlers: Handlers,
  ) {}

  /** Ask for this state; replaces whatever was waiting. */
  ask(wanted: Wanted) {
    this.waiting = wanted;
    this.next();
  }

  private next() {
    if (!this.waiting) return;
    const oldest = Math.min(...this.flying.values());
    const crowded = this.flying.size >= 2 || (this.flying.size === 1 && performance.now() - oldest < OVERTAKE_AFTER);
    if (crowded) return;
    const wanted = this.waiting;
    this.waiting = null;
    void this.fly(wanted);
  }

  private async fly(wanted: Wanted) {
    const sequence = ++this.sequence;
    const began = performance.now();
    this.flying.set(sequence, began);
    const late = setTimeout(() => this.next(), OVERTAKE_AFTER + 5);
    try {
      const body = { ...wanted, session: `${this.session.slice(0, 18)}:${this.channel}`, sequence };
      const result = await binary<EvaluationHeader>("POST", "/evaluations", body);
      if (sequence > this.shown) {
        this.shown = sequence;
        this.handlers.done(result, performance.now() - began);
      }
    } catch (error) {
      if (sequence > this.shown && !(error instanceof Refused && error.code === "overtaken")) {
        this.shown = sequence;
        this.handlers.failed(
          error instanceof Refused
            ? error
            : new Refused(0, "offline", "The server cannot be reached. Is it still running?", ""),
        );
      }
    } finally {
      clearTimeout(late);
      this.flying.delete(sequence);
      this.next();
    }
  }
}
