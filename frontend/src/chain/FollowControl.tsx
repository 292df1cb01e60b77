/** The control beside a field: whether it is fixed or follows a signal or a dial. */
import { Menu, MenuButton, MenuHeading, MenuItem, MenuItems, MenuSection } from "@headlessui/react";
import { Link2, Unlink2 } from "lucide-react";
import { Fragment } from "react";
import type { Dial, Follow, Following } from "../api/client";
import { type Follows, following, isFollowing, literalOf, sourceOf } from "../state/follow";
import { signalAt } from "../state/edits";
import { addDial } from "../state/actions";
import { chosenLook, NONE, useStore } from "../state/store";
import { NumberField } from "../widgets/NumberField";

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
  return (
    <span className="inline-flex items-center gap-0.5">
      {follows ? (
        <span className="inline-flex items-center gap-1.5" title={`${title} follows ${sourceOf(follows)}`}>
          <span className="text-soft">{title}</span>
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
      <Sources {...props} follows={follows} />
    </span>
  );
}

/** Whether a dial can be followed: colours by colours, words by a dial with that choice, switches by anything but a colour. */
function fits(dial: Dial, how: Follows, value: unknown): boolean {
  const coloured = typeof dial.value === "string";
  if (how !== "dial") return coloured === (how === "colour");
  if (typeof value === "string" && !value.startsWith("#")) return dial.choices.includes(value);
  return typeof value === "string" || !coloured;
}

function Sources({ title, how, value, most, otherwise, options, onCommit, follows }: Props & { follows: Following | null }) {
  const dials = useStore((s) => s.scene?.dials ?? (NONE as Dial[]));
  const look = useStore(chosenLook);
  const result = useStore((s) => s.results[s.chosen]);
  const wanted = how === "colour" ? "colour" : "number";
  const own = useStore((s) => (look ? signalAt(look, s.chain)?.name : undefined));
  const signals = how === "dial" || !look ? [] : [...look.signals, ...look.scene.signals].filter((signal) => {
    const kind = result?.steps[result.signals[signal.name] ?? ""]?.kind;
    return signal.name !== own && (kind === undefined || kind === wanted);
  });
  const fitting = dials.filter((d) => fits(d, how, value));
  const follow = (source: { signal?: string; dial?: string }) =>
    onCommit(following(how, source, follows ? literalOf(follows, dials, otherwise) : value, most), `Let ${title.toLowerCase()} follow ${source.signal ?? source.dial}`);
  const newDial = () => {
    const literal = follows ? literalOf(follows, dials, otherwise) : value;
    // Of a parameter that is one of several words the dial has these as its choices.
    const base = title.toLowerCase().replaceAll(/[^a-z0-9 ]/g, "").trim() || "dial";
    follow({ dial: addDial(literal as number | string | boolean, base, options) });
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
        {how !== "dial" && (
          <MenuSection>
            <MenuHeading className="heading px-2 py-0.5">For each element, a signal</MenuHeading>
            {signals.map(({ name }) => (
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
        {follows && (
          <MenuItem>
            <button
              type="button"
              className="menu-item mt-1 border-t border-line"
              onClick={() => onCommit(literalOf(follows, dials, otherwise), `Fix ${title.toLowerCase()}`)}
            >
              <Unlink2 size={12} aria-hidden />
              Fixed value
            </button>
          </MenuItem>
        )}
      </MenuItems>
    </Menu>
  );
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
