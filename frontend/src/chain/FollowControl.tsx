/** The control beside a field: whether it is fixed or follows a signal or a dial. */
import { Menu, MenuButton, MenuHeading, MenuItem, MenuItems, MenuSection } from "@headlessui/react";
import { Link2, Unlink2 } from "lucide-react";
import { Fragment, memo } from "react";
import type { Dial, Follow, Following, Marker } from "../api/client";
import { type Follows, following, isFollowing, literalOf, type Source as From, sourceOf } from "../state/follow";
import { signalAt } from "../state/edits";
import { addDial } from "../state/actions";
import { chosenLook, NONE, useStore } from "../state/store";
import { NumberField } from "../widgets/NumberField";
import { useSteady } from "../widgets/steady";

interface Props {
  title: string;
  how: Follows;
  value: unknown;
  /** The largest value of the parameter, or Infinity. */
  most: number;
  otherwise: unknown;
  /** A factor between what is shown and what is kept (100 for shares). */
  factor?: number;
  unit?: string;
  /** The words that the parameter may be. */
  options?: string[];
  onDraft: (value: unknown) => void;
  onCommit: (value: unknown, label: string) => void;
  /** The field for a fixed value. */
  children: React.ReactNode;
}

export function FollowControl(props: Props) {
  const { title, value, onDraft, onCommit, factor = 1, unit } = props;
  const follows = isFollowing(value) ? value : null;
  const ends = follows && "low" in follows ? (follows as Follow) : null;
  const commit = useSteady(props.onCommit);
  const now = useSteady(() => ({ value: props.value, most: props.most, otherwise: props.otherwise }));
  return (
    <span className="inline-flex items-center gap-0.5">
      {follows ? (
        <span className="inline-flex items-center gap-1.5" title={`${title} follows ${sourceOf(follows)}`}>
          <span className="follow-title text-soft">{title}</span>
          <span className="max-w-28 truncate rounded border border-dashed border-ink px-1.5 leading-[22px] font-medium">{sourceOf(follows)}</span>
          {ends && (
            <>
              {(["low", "high"] as const).map((end) => (
                <Fragment key={end}>
                  {end === "high" && <span className="text-soft">to</span>}
                  <NumberField
                    label={`${title} where ${sourceOf(follows)} is ${end === "low" ? 0 : 1}`}
                    hideLabel
                    unit={unit}
                    value={ends[end] * factor}
                    width="w-[52px]"
                    onDraft={(v) => onDraft({ ...ends, [end]: v / factor })}
                    onCommit={(v) => onCommit({ ...ends, [end]: v / factor }, `Change ${title.toLowerCase()}`)}
                  />
                </Fragment>
              ))}
            </>
          )}
        </span>
      ) : (
        props.children
      )}
      <Sources title={title} how={props.how} words={props.options} follows={follows} kind={kindOf(value)} now={now} onCommit={commit} />
    </span>
  );
}

const AXES = ["x", "y", "z"] as const;

/** What is followed instead: a word of several, a switch, or anything else. */
type Sort = "word" | "plain";
const kindOf = (value: unknown): Sort => (typeof value === "string" && !value.startsWith("#") ? "word" : "plain");

/** Whether a dial can be followed: colours by colours, words by a dial with choices, switches by anything but a colour. */
function fits(dial: Dial, how: Follows, sort: Sort, words: string[] | undefined): boolean {
  const coloured = typeof dial.value === "string";
  if (how === "signal" || how === "colour") return coloured === (how === "colour");
  return sort === "word" || words ? dial.choices.some((choice) => words?.includes(choice)) : !coloured || words === undefined;
}

interface SourcesProps {
  title: string;
  how: Follows;
  words: string[] | undefined;
  follows: Following | null;
  kind: Sort;
  /** The value, the limit and the default of now. */
  now: () => { value: unknown; most: number; otherwise: unknown };
  onCommit: (value: unknown, label: string) => void;
}

/** The menu of what can be followed; drawn anew only where it shows something else. */
const Sources = memo(function Sources({ title, how, words, follows, kind, now, onCommit }: SourcesProps) {
  const dials = useStore((s) => s.scene?.dials ?? (NONE as Dial[]));
  const markers = useStore((s) => s.scene?.markers ?? (NONE as Marker[]));
  const signals = useSignals(how);
  const wanted = how === "colour" ? "colour" : "number";
  const fitting = dials.filter((d) => fits(d, how, kind, words));
  const literal = () => {
    const { value, otherwise } = now();
    return isFollowing(value) ? literalOf(value, dials, otherwise) : value;
  };
  const follow = (source: From) =>
    onCommit(following(how, source, literal(), now().most), `Let ${title.toLowerCase()} follow ${source.signal ?? source.dial ?? source.marker}`);
  const newDial = () => {
    // Of a parameter that is one of several words the dial has these as its choices.
    const base = title.toLowerCase().replaceAll(/[^a-z0-9 ]/g, "").trim() || "dial";
    follow({ dial: addDial(literal() as number | string | boolean, base, words) });
  };
  return (
    <Menu>
      <MenuButton
        className={`icon-button size-5 rounded ${follows ? "bg-ink text-on-ink hover:bg-ink" : "text-strong"}`}
        aria-label={follows ? `${title} follows ${sourceOf(follows)}` : `Let ${title} follow…`}
        title={follows ? `${title} follows ${sourceOf(follows)}` : `Let ${title.toLowerCase()} follow a signal or dial`}
      >
        <Link2 size={12} aria-hidden />
      </MenuButton>
      <MenuItems anchor={{ to: "bottom end", gap: 4, padding: 8 }} className="panel z-40 max-h-72 w-52 overflow-y-auto p-1.5 shadow-lg outline-none">
        {(how === "signal" || how === "colour") && (
          <MenuSection>
            <MenuHeading className="heading px-2 py-0.5">For each element, a signal</MenuHeading>
            {signals.map((name) => (
              <Source key={name} name={name} onClick={() => follow({ signal: name })} />
            ))}
            {signals.length === 0 && <p className="px-2 py-1 text-[11px] text-soft">No signal gives a {wanted} yet. Add one among the values.</p>}
          </MenuSection>
        )}
        <MenuSection>
          <MenuHeading className="heading px-2 py-0.5">For all, a dial</MenuHeading>
          {fitting.map(({ name }) => (
            <Source key={name} name={name} onClick={() => follow({ dial: name })} />
          ))}
          <Source name="A new dial" onClick={newDial} />
        </MenuSection>
        {how === "marker" && markers.length > 0 && (
          <MenuSection>
            <MenuHeading className="heading px-2 py-0.5">Of a marker</MenuHeading>
            {markers.flatMap(({ name }) => AXES.map((axis) => <Source key={name + axis} name={`${name}, ${axis}`} onClick={() => follow({ marker: name, axis })} />))}
          </MenuSection>
        )}
        {follows && (
          <MenuItem>
            <button
              type="button"
              className="menu-item mt-1 border-t border-line"
              onClick={() => onCommit(literal(), `Fix ${title.toLowerCase()}`)}
            >
              <Unlink2 size={12} aria-hidden />
              Fixed value
            </button>
          </MenuItem>
        )}
      </MenuItems>
    </Menu>
  );
});

/** The names of the signals that a parameter can follow: those of its kind, and not the one whose chain is shown. */
function useSignals(how: Follows): string[] {
  const listed = useStore((s) => {
    const look = how === "dial" || how === "marker" ? null : chosenLook(s);
    if (!look) return "[]";
    const wanted = how === "colour" ? "colour" : "number";
    const result = s.results[s.chosen];
    const own = signalAt(look, s.chain)?.name;
    const fitting = [...look.signals, ...look.scene.signals].filter(({ name }) => {
      const kind = result?.steps[result.signals[name] ?? ""]?.kind;
      return name !== own && (kind === undefined || kind === wanted);
    });
    return JSON.stringify(fitting.map(({ name }) => name));
  });
  return JSON.parse(listed) as string[];
}

function Source({ name, onClick }: { name: string; onClick: () => void }) {
  return (
    <MenuItem>
      <button type="button" className="menu-item" onClick={onClick}>
        <span className="truncate">{name}</span>
      </button>
    </MenuItem>
  );
}
