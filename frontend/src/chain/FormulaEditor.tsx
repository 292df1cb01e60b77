/** The field of a formula: names are completed, an error is marked at its character. Loaded when a formula is opened. */
import { autocompletion, closeBrackets, type Completion, type CompletionContext, completionKeymap } from "@codemirror/autocomplete";
import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { type Diagnostic, setDiagnostics } from "@codemirror/lint";
import { EditorState, Prec } from "@codemirror/state";
import { EditorView, keymap } from "@codemirror/view";
import { useEffect, useRef } from "react";

export interface FormulaName {
  name: string;
  /** What it is, in a word: an attribute, a signal, a function. */
  what: string;
}

interface Props {
  title: string;
  help?: string;
  value: string;
  names: FormulaName[];
  /** What is wrong with it, and at which character, counted from 1. */
  error: { sentence: string; character: number } | null;
  onSettle: (text: string) => void;
}

const MOST = 1000;

const LOOK = EditorView.theme({
  "&": { fontSize: "12px", borderRadius: "5px" },
  "&.cm-focused": { outline: "2px solid var(--ink)", outlineOffset: "1px" },
  ".cm-content": { fontFamily: "ui-monospace, monospace", padding: "6px 0", caretColor: "var(--ink)" },
  ".cm-line": { padding: "0 8px" },
  ".cm-cursor": { borderLeftColor: "var(--ink)" },
  ".cm-tooltip": { background: "var(--panel)", color: "var(--ink)", border: "1px solid var(--line)", borderRadius: "6px" },
  ".cm-tooltip.cm-tooltip-autocomplete > ul > li[aria-selected]": { background: "var(--ink)", color: "var(--on-ink)" },
  ".cm-completionDetail": { fontStyle: "normal", opacity: "0.7", marginLeft: "10px" },
  ".cm-lintRange-error": { backgroundImage: "none", textDecoration: "underline wavy var(--ink) 1.5px", textUnderlineOffset: "3px" },
  ".cm-diagnostic-error": { borderLeft: "3px solid var(--ink)", fontFamily: "inherit" },
});

/** A name that is no plain word is read as value("a name"). */
const written = (name: string) => (/^[A-Za-z_]\w*$/.test(name) ? name : `value(${JSON.stringify(name)})`);

function completions(names: FormulaName[]) {
  const options: Completion[] = names.map(({ name, what }) => ({ label: name, apply: what === "function" ? `${name}(` : written(name), detail: what }));
  return (context: CompletionContext) => {
    const word = context.matchBefore(/[A-Za-z_]\w*/);
    return word || context.explicit ? { from: word?.from ?? context.pos, options, validFor: /^\w*$/ } : null;
  };
}

export default function FormulaEditor({ title, help, value, names, error, onSettle }: Props) {
  const holder = useRef<HTMLDivElement>(null);
  const editor = useRef<EditorView | null>(null);
  const latest = useRef({ value, onSettle });
  useEffect(() => {
    latest.current = { value, onSettle };
  });
  const listed = names.map(({ name, what }) => `${what} ${name}`).join("\n");

  useEffect(() => {
    const settle = (view: EditorView) => {
      const text = view.state.doc.toString();
      if (text.trim() && text !== latest.current.value) latest.current.onSettle(text);
      else if (!text.trim()) replace(view, latest.current.value);
      return true;
    };
    const view = new EditorView({
      parent: holder.current!,
      state: EditorState.create({
        doc: latest.current.value,
        extensions: [
          history(),
          closeBrackets(),
          autocompletion({ override: [completions(names)], selectOnOpen: false, icons: false }),
          keymap.of(completionKeymap),
          // Enter settles, but where a name is chosen from the list; Escape takes back what was typed.
          Prec.low(
            keymap.of([
              { key: "Enter", run: settle },
              { key: "Escape", run: (at) => (replace(at, latest.current.value), true) },
            ]),
          ),
          Prec.lowest(keymap.of([...historyKeymap, ...defaultKeymap])),
          EditorView.lineWrapping,
          EditorState.changeFilter.of((change) => change.newDoc.length <= MOST),
          EditorView.contentAttributes.of({ "aria-label": title, title: help ?? "", spellcheck: "false" }),
          EditorView.domEventHandlers({ blur: (_event, at) => (settle(at), false) }),
          LOOK,
        ],
      }),
    });
    editor.current = view;
    return () => view.destroy();
    // The names are those of `listed`; the field is made anew when they are others.
    // oxlint-disable-next-line exhaustive-deps
  }, [title, help, listed]);

  useEffect(() => {
    const view = editor.current;
    if (view && view.state.doc.toString() !== value) replace(view, value);
  }, [value]);

  useEffect(() => {
    const view = editor.current;
    if (!view) return;
    const end = view.state.doc.length;
    const from = error ? Math.min(Math.max(0, error.character - 1), Math.max(0, end - 1)) : 0;
    const marks: Diagnostic[] = error ? [{ from, to: Math.min(end, wordEnd(view, from)), severity: "error", message: error.sentence }] : [];
    view.dispatch(setDiagnostics(view.state, marks));
  }, [error, value]);

  return <div ref={holder} className="field h-auto w-full p-0" />;
}

/** Where the word at a place ends, or the one character there. */
function wordEnd(view: EditorView, from: number): number {
  return from + (/^\w+/.exec(view.state.sliceDoc(from))?.[0].length ?? 1);
}

function replace(view: EditorView, text: string) {
  view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: text } });
}
