/** A formula with the names that it may read; its editor is loaded when it is first shown. */
import { lazy, Suspense } from "react";
import { attributesOf, chosenLook, NONE, useStore } from "../state/store";
import type { FormulaName } from "./FormulaEditor";

const Editor = lazy(() => import("./FormulaEditor"));

interface Props {
  title: string;
  value: string;
  help?: string;
  functions: string[];
  onCommit: (value: unknown, label: string) => void;
}

/** Everything that a formula of the chosen population can name. */
function useNames(functions: string[]): FormulaName[] {
  const attributes = useStore(attributesOf);
  const look = useStore(chosenLook);
  const dials = useStore((s) => s.scene?.dials ?? NONE);
  const named = (what: string, names: string[]) => names.map((name) => ({ name, what }));
  return [
    ...named("attribute", attributes.filter((a) => a.kind !== "text").map((a) => a.name)),
    ...named("signal", [...(look?.signals ?? []), ...(look?.scene.signals ?? [])].map((s) => s.name)),
    ...named("dial", dials.filter((d) => typeof d.value !== "string").map((d) => d.name)),
    ...named("built in", ["index", "count", "frame", "seconds"]),
    ...named("function", functions),
  ];
}

export function FormulaField({ title, value, help, functions, onCommit }: Props) {
  const names = useNames(functions);
  const refused = useStore((s) => s.errors[s.chosen] ?? null);
  // The core's sentences about formulas say at which character.
  const character = refused?.place.endsWith(".text") ? Number(/At character (\d+)/.exec(refused.sentence)?.[1] ?? 0) : 0;
  const error = refused && character > 0 ? { sentence: refused.sentence, character } : null;
  return (
    <div className="w-full">
      <Suspense fallback={<div className="field h-14 w-full px-2 py-1.5 font-mono text-soft">{value}</div>}>
        <Editor title={title} help={help} value={value} names={names} error={error} onSettle={(text) => onCommit(text, "Change the formula")} />
      </Suspense>
      <span className="mt-1 block text-[11px] text-soft">
        Values, signals and dials by name, + − * / % **, comparisons, and functions such as where, clamp, mix and random(7). Enter settles.
      </span>
    </div>
  );
}
