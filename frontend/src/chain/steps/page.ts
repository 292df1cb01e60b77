/** What a step adds in the page to what the core tells of it: its summary line, its first values, its own editor. */
import type { ReactNode } from "react";
import type { AttributeCensus, Step, StepCensus, TraceStep } from "../../api/client";

export type Word = Step["step"];
export type Of<W extends Word> = Extract<Step, { step: W }>;

/** Where a new step is put: what it may read, and what stands around it. */
export interface About {
  /** An attribute, and a signal, that it could read; empty where there is none. */
  attribute: string;
  signal: string;
  /** The level that owns the elements; empty where none does. */
  owner: string;
  /** The longest side of the elements' box, and the other populations; 0 and none where that is not known. */
  longest: number;
  others: string[];
  /** What comes into it. */
  incoming?: string;
  /** What the step gives whose place it takes. */
  replaced?: string;
  /** The group of the step after it. */
  next?: string;
  /** Whether the elements are vertices of a mesh. */
  mesh?: boolean;
  /** What those carry on whom the elements stand. */
  below?: AttributeCensus[];
  /** Whether it stands in a mask. */
  mask?: boolean;
  /** All that the elements carry. */
  attributes?: AttributeCensus[];
}

export interface EditorProps<S> {
  step: S;
  place: string;
  index: number;
  open: boolean;
  census: StepCensus | undefined;
  trace: TraceStep | undefined;
  schema: Record<string, unknown>;
  onDraft: (step: S) => void;
  onCommit: (step: S, label: string) => void;
}

export interface StepPage<W extends Word> {
  /** What the step does, with its few numbers; `facts` are figures that it told. */
  summary: (step: Of<W>, facts: Record<string, number>) => string;
  /** What a new one begins with, where that differs from the defaults of the core. */
  first?: (about: About) => Partial<Of<W>>;
  /** What a new one takes over of another step whose place it takes. */
  instead?: (fresh: Of<W>, old: Step) => Of<W>;
  /** In place of the generated controls; null falls back to them. */
  Editor?: (props: EditorProps<Of<W>>) => ReactNode;
  /** Whether the editor does for this step as it is; always where it is left out. */
  edits?: (step: Of<W>, census: StepCensus | undefined) => boolean;
  /** Below the controls: chains that it holds and the like. */
  Below?: (props: EditorProps<Of<W>>) => ReactNode;
  /** At the right of the step's line. */
  Mark?: (props: EditorProps<Of<W>>) => ReactNode;
  /** Parameters that are not among the generated controls. */
  skip?: (step: Of<W>) => string[];
  /** Whether the editor draws the colours that leave the step itself. */
  draws?: boolean;
  /** Whether its editor can be opened in a large window of its own. */
  large?: boolean;
  /** Whether it is measured in space, so that pointing at it shows its values on the elements. */
  placed?: boolean;
  /** Pixels of its strip of colours. */
  strip?: number;
}

/** The page's part of a step. */
export function page<W extends Word>(_word: W, of: StepPage<W>): StepPage<W> {
  return of;
}
