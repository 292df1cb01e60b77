/** One step: what it does, its few numbers, and the distribution that leaves it. */
import { AppWindow, ArrowDown, ArrowUp, Copy, Eye, Power, Trash2, Waves } from "lucide-react";
import { memo } from "react";
import type { Step, StepCensus, TraceStep } from "../api/client";
import { chainAt, moved, placeOf, withChain, withStep } from "../state/edits";
import type { Remark } from "../state/remarks";
import { chooseStep, chosenLook, draftLook, editLook, pinPreview, showPreview, useStore } from "../state/store";
import { ActionMenu } from "../widgets/ActionMenu";
import { AxisEnds, Bars, Swatches } from "../widgets/Distribution";
import { breakUp } from "./breakUp";
import { openWindow } from "./EditorWindows";
import { StepParameters, useSchema } from "./Parameters";
import { RemarkLine } from "./Remarks";
import { pageOf, summary, titleOf } from "./steps";
import { whenPointedAt } from "../widgets/pointing";

interface StepActions {
  move: (by: number) => void;
  duplicate: () => void;
  remove: () => void;
  toggle: () => void;
}

interface Props {
  step: Step;
  chain: string;
  index: number;
  open: boolean;
  census: StepCensus | undefined;
  trace: TraceStep | undefined;
  /** Where the traced element lies on the shared axis. */
  tracedAt: number | undefined;
  /** What the core noticed of it. */
  remarks: Remark[];
}

/** What is done with a step of a chain by its menu. */
function actionsFor(chain: string, index: number): StepActions {
  const steps = () => chainAt(chosenLook(useStore.getState())!, chain) ?? [];
  const change = (label: string, to: (all: Step[]) => Step[]) => editLook(label, (l) => withChain(l, chain, to));
  return {
    move: (by) => {
      const to = index + by;
      if (to < 0 || to >= steps().length) return;
      change("Reorder steps", (all) => moved(all, index, to));
      chooseStep(to);
    },
    duplicate: () => change("Duplicate a step", (s) => [...s.slice(0, index + 1), structuredClone(s[index]!), ...s.slice(index + 1)]),
    remove: () => {
      if (steps().length < 2) return;
      // The step that is open stays open, wherever it then stands.
      const { step: open } = useStore.getState();
      if (open !== null && open > index) chooseStep(open - 1);
      change("Remove a step", (s) => s.filter((_, k) => k !== index));
    },
    toggle: () => change("Switch a step", (s) => s.map((x, k) => (k === index ? { ...x, enabled: !x.enabled } : x))),
  };
}

/** Pointing at a step that is measured in space shows its values on the elements. */
function pointed(place: string) {
  const show = () => showPreview({ of: "step", name: place, scale: useStore.getState().scale });
  const hide = () => showPreview(null);
  return { ...whenPointedAt(show, hide), onBlur: hide, onFocus: (e: React.FocusEvent) => e.currentTarget.matches(":focus-visible") && show() };
}

/** Drawn anew only where something of its own has changed. */
export const Slab = memo(function Slab(of: Props) {
  const { chain, index } = of;
  const place = placeOf(chain, index);
  const props = {
    ...of,
    place,
    onDraft: (s: Step) => draftLook((l) => withStep(l, chain, index, s)),
    onCommit: (s: Step, label: string) => editLook(label, (l) => withStep(l, chain, index, s)),
  };
  const { step, open, census, trace, tracedAt } = props;
  const title = titleOf(step.step);
  const own = pageOf(step.step);
  const schema = useSchema(step);
  const reached = census?.ramp?.reached ?? census?.reached;
  const drawn = own.draws && open;
  return (
    <section
      aria-label={`Step ${index + 1}, ${title}`}
      data-step={index}
      className={`panel px-3 ${open ? "border-2 border-ink px-[11px] py-2" : "py-1.5"} ${step.enabled ? "" : "border-dashed"}`}
    >
      <div className="flex min-h-6.5 items-center gap-2">
        <button
          type="button"
          aria-expanded={open}
          onClick={() => chooseStep(index)}
          {...(own.placed && step.enabled ? pointed(place) : {})}
          className="flex min-w-0 grow cursor-pointer items-baseline gap-2 rounded text-left"
        >
          <span className={`text-[13px] font-semibold ${step.enabled ? "" : "line-through"}`}>{title}</span>
          <span className="truncate text-soft">{summary(step, census?.facts)}</span>
        </button>
        {reached !== undefined && !drawn && (
          <span className="tabular flex-none text-[11px] whitespace-nowrap text-soft">{Math.round(reached * 100)}% reached</span>
        )}
        {own.Mark && <own.Mark {...props} schema={schema} />}
        <StepMenu title={title} place={place} enabled={step.enabled} numbers={census?.kind === "number"} index={index} window={own.large ? () => openWindow(chain, index) : undefined} actions={actionsFor(chain, index)} />
      </div>
      <Noticed remarks={of.remarks} />
      {open && <Opened {...props} schema={schema} />}
      {census?.numbers && step.enabled && (
        <div className="mt-1">
          <Bars of={census.numbers} height={22} label={`Values after ${title}`} mark={trace?.number} />
          <AxisEnds of={census.numbers} />
        </div>
      )}
      {census?.colours && step.enabled && !drawn && (
        <div className="relative mt-1">
          <Swatches of={census.colours} height={own.strip ?? 18} label={`Colours after ${title}`} />
          {trace?.colour && (
            <span
              aria-hidden
              title={`Traced element: ${trace.colour}`}
              className="absolute -top-1 -bottom-1 w-2.5 -translate-x-1/2 rounded-sm border border-white outline outline-ink"
              style={{ background: trace.colour, left: `${100 * Math.min(0.99, Math.max(0.01, tracedAt ?? 0.99))}%` }}
            />
          )}
        </div>
      )}
    </section>
  );
});

function Noticed({ remarks }: { remarks: Remark[] }) {
  const look = useStore(chosenLook);
  return look && remarks.length > 0 ? (
    <div className="-mx-1.5">
      <RemarkLine remarks={remarks} look={look} />
    </div>
  ) : null;
}

type Acting = Props & { place: string; schema: Record<string, unknown>; onDraft: (step: Step) => void; onCommit: (step: Step, label: string) => void };

/** The controls of an open step: its own editor, or those drawn from its schema. */
function Opened(props: Acting) {
  const { step, census, schema, onDraft, onCommit } = props;
  const own = pageOf(step.step);
  const edits = own.Editor && (own.edits?.(step, census) ?? true);
  return (
    <div className="mt-1.5 mb-1">
      {own.Editor && edits ? (
        <own.Editor {...props} />
      ) : (
        <StepParameters step={step} schema={schema} skip={own.skip?.(step) ?? []} onDraft={onDraft} onCommit={onCommit} />
      )}
      {own.Below && <own.Below {...props} />}
    </div>
  );
}

function StepMenu({ title, place, enabled, numbers, index, window, actions }: { title: string; place: string; enabled: boolean; numbers: boolean; index: number; window?: () => void; actions: StepActions }) {
  const shown = useStore((s) => s.pinned?.of === "step" && s.pinned.name === place);
  const scale = useStore((s) => s.scale);
  const items = [
    ...(enabled
      ? [{ label: shown ? "Show the result in the view" : "Show this step in the view", icon: Eye, run: () => pinPreview(shown ? null : { of: "step", name: place, scale }) }]
      : []),
    ...(enabled && numbers ? [{ label: "Break it up with a noise", icon: Waves, run: () => breakUp(place, index + 1) }] : []),
    ...(window ? [{ label: "Open in a window", icon: AppWindow, run: window }] : []),
    { label: enabled ? "Switch off" : "Switch on", icon: Power, run: actions.toggle },
    { label: "Move up", icon: ArrowUp, run: () => actions.move(-1) },
    { label: "Move down", icon: ArrowDown, run: () => actions.move(1) },
    { label: "Duplicate", icon: Copy, run: actions.duplicate },
    { label: "Remove", icon: Trash2, run: actions.remove },
  ];
  return <ActionMenu label={`More for ${title}`} title="More" dots className="-mr-1.5" items={items} />;
}
