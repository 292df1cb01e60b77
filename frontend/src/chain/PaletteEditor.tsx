/** The opened palette: its grid of swatches, and what can be done with them. */
import { Dices, LibraryBig, Link2, Lock, LockOpen, Plus, Trash2 } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { type Dial, fetchFile, json, type Palette, type PaletteAnswer, type StepCensus, type Swatch, upload } from "../api/client";
import { openLibrary } from "../library/Library";
import { usePicture } from "../library/PictureDialog";
import { save } from "../rooms/publish/save";
import { moved } from "../state/edits";
import { drawn, isFollowing, sourceOf, UNKNOWN } from "../state/follow";
import { useKeys } from "../state/keys";
import { announce, isolate, NONE, useStore } from "../state/store";
import { ActionMenu } from "../widgets/ActionMenu";
import { Button, IconButton } from "../widgets/Button";
import { Bars } from "../widgets/Distribution";
import { Choice } from "../widgets/Choice";
import { ColourField } from "../widgets/ColourField";
import { NumberField } from "../widgets/NumberField";
import { notUnderstood, percent, textOn } from "../widgets/shares";
import { Sortable, useSortableItem } from "../widgets/Sortable";
import { FollowControl } from "./FollowControl";
import { FollowNumber } from "./FollowNumber";
import { whenPointedAt } from "../widgets/pointing";

interface Props {
  palette: Palette;
  census: StepCensus | undefined;
  onDraft: (palette: Palette) => void;
  onCommit: (palette: Palette, label: string) => void;
}

const MOST = 256;
const ORDERS = { grid: "As a grid by lightness and hue", hue: "By hue", lightness: "By lightness", path: "Likes side by side" } as const;
const RELATIONS = { complement: "Complement", analogous: "Analogous", triad: "Triad", tetrad: "Tetrad", split_complement: "Split complement" } as const;

interface Pair {
  vision: string;
  first: number;
  second: number;
  distance: number;
}

/** The palette as its parts see it: with the colours and weights of now, the counts, and which swatch is chosen. */
interface Seen extends Props {
  dials: Dial[];
  columns: number;
  chosen: number;
  /** The colour of each swatch as it is drawn. */
  shown: string[];
  /** The swatches with the colours of now, for what knows no signals and dials. */
  fixed: Swatch[];
  counts: number[];
  total: number;
  choose: (index: number) => void;
  put: (swatches: Swatch[], label: string) => void;
  tell: (sentence: string) => void;
}

export function PaletteEditor(props: Props) {
  const { palette, census, onCommit } = props;
  const [at, setAt] = useState(0);
  const [sentence, setSentence] = useState("");
  const dials = useStore((s) => s.scene?.dials ?? (NONE as Dial[]));
  const { swatches } = palette;
  const shown = swatches.map((s, k) => (isFollowing(s.colour) ? (census?.palette?.colours[k] ?? UNKNOWN) : s.colour));
  const counts = census?.palette?.counts ?? [];
  const seen: Seen = {
    ...props,
    dials,
    columns: Math.max(1, Math.round(drawn(palette.columns, dials, 8))),
    chosen: Math.min(at, swatches.length - 1),
    shown,
    fixed: swatches.map((s, k) => ({ ...s, colour: shown[k]!, weight: drawn(s.weight, dials, 1) })),
    counts,
    total: counts.reduce((a, b) => a + b, 0),
    choose: setAt,
    put: (to, label) => onCommit({ ...palette, swatches: to }, label),
    tell: setSentence,
  };
  return (
    <div>
      <Head {...seen} />
      {census?.incoming && <Bars of={census.incoming} height={18} label="Values that reach the palette" />}
      <Grid {...seen} />
      <Fields {...seen} />
      <Menus {...seen} />
      <Anew {...seen} />
      <Nearest {...seen} />
      {sentence && (
        <p role="alert" className="mt-2 font-medium">
          {sentence}
        </p>
      )}
    </div>
  );
}

/** Its name and columns, and the library. */
function Head({ palette, columns, onCommit }: Seen) {
  return (
    <div className="mb-2 flex items-center gap-2">
      <input
        key={palette.name}
        className="field min-w-0 grow font-medium"
        aria-label="Name of the palette"
        defaultValue={palette.name}
        maxLength={100}
        onBlur={(e) => e.target.value.trim() && e.target.value !== palette.name && onCommit({ ...palette, name: e.target.value.trim() }, "Name the palette")}
        onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
      />
      <FollowNumber
        title="Columns"
        how="dial"
        value={palette.columns}
        shown={columns}
        change="Change the columns"
        whole
        min={1}
        max={64}
        width="w-[48px]"
        onCommit={(to, label) => onCommit({ ...palette, columns: to }, label)}
      />
      <Button
        onClick={() =>
          openLibrary({
            kind: "palette",
            document: palette,
            onUse: (item) => {
              const other = item.document as unknown as Palette;
              // Only the colours change: how they are sampled stays.
              onCommit({ ...palette, name: item.name, columns: other.columns, swatches: other.swatches }, `Use the palette ${item.name}`);
            },
          })
        }
      >
        <LibraryBig size={13} aria-hidden />
        Library
      </Button>
    </div>
  );
}

/** The swatches in their grid: chosen by arrow keys, moved by dragging or with Alt. */
function Grid(seen: Seen) {
  const { palette, columns, choose, put } = seen;
  const { swatches } = palette;
  const keys = useKeys(swatches);

  function shift(from: number, to: number) {
    if (to < 0 || to >= swatches.length || from === to) return;
    put(moved(swatches, from, to), "Move a swatch");
    announce(`The swatch ${seen.shown[from]} is now ${to + 1} of ${swatches.length}.`);
    choose(to);
  }

  function pressed(event: React.KeyboardEvent, k: number) {
    const by = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -columns, ArrowDown: columns }[event.key];
    if (by !== undefined) {
      event.preventDefault();
      if (event.altKey) shift(k, k + by);
      else if (k + by >= 0 && k + by < swatches.length) choose(k + by);
    } else if ((event.key === "Delete" || event.key === "Backspace") && swatches.length > 1) {
      event.preventDefault();
      put(swatches.filter((_, i) => i !== k), "Remove a swatch");
    }
  }

  return (
    <Sortable grid keys={keys} nameOf={(key) => `Swatch ${keys.indexOf(key) + 1}`} onMove={shift}>
      <div
        role="listbox"
        aria-label="Swatches"
        aria-activedescendant={`swatch-${seen.chosen}`}
        tabIndex={-1}
        className="mt-0.5 grid gap-px overflow-hidden rounded-[4px]"
        style={{ gridTemplateColumns: `repeat(${Math.min(columns, swatches.length)}, minmax(0, 1fr))` }}
        onPointerLeave={() => isolate(null)}
      >
        {swatches.map((swatch, k) => (
          <Cell key={keys[k]} of={keys[k]!} swatch={swatch} index={k} seen={seen} onKey={pressed} />
        ))}
      </div>
    </Sortable>
  );
}

interface CellProps {
  of: number;
  swatch: Swatch;
  index: number;
  seen: Seen;
  onKey: (event: React.KeyboardEvent, index: number) => void;
}

function Cell({ of, swatch, index, seen, onKey }: CellProps) {
  const { shown, chosen, counts, total, columns, choose } = seen;
  const { item, handle } = useSortableItem(of);
  const colour = shown[index]!;
  const share = percent(counts[index] ?? 0, total);
  const picked = index === chosen;
  const own = useRef<HTMLDivElement | null>(null);
  useEffect(() => {
    // The keyboard goes along with the swatch that is chosen.
    if (picked && document.activeElement?.getAttribute("role") === "option") own.current?.focus();
  }, [picked]);
  return (
    <div
      {...handle}
      ref={(element) => {
        own.current = element;
        item.ref(element);
        handle.ref(element);
      }}
      id={`swatch-${index}`}
      role="option"
      aria-roledescription={undefined}
      aria-pressed={undefined}
      aria-disabled={undefined}
      aria-selected={picked}
      aria-label={`Swatch ${index + 1}, ${colour}${isFollowing(swatch.colour) ? `, follows ${sourceOf(swatch.colour)}` : ""}${swatch.locked ? ", locked" : ""}, ${share}`}
      title={`${colour}, ${share}`}
      tabIndex={picked ? 0 : -1}
      className="relative grid cursor-grab touch-none place-items-center outline-none"
      style={{
        ...item.style,
        background: colour,
        height: Math.ceil(shown.length / columns) > 4 ? 22 : 34,
        color: textOn(colour),
        boxShadow: picked ? `inset 0 0 0 2px ${textOn(colour)}` : "none",
      }}
      onClick={(e) => {
        choose(index);
        e.currentTarget.focus();
      }}
      onKeyDown={(e) => {
        onKey(e, index);
        if (!e.defaultPrevented) (handle as Pick<React.DOMAttributes<HTMLElement>, "onKeyDown">).onKeyDown?.(e);
      }}
      {...whenPointedAt(() => isolate(index))}
    >
      {isFollowing(swatch.colour) ? <Link2 size={11} aria-hidden /> : swatch.locked ? <Lock size={11} aria-hidden /> : null}
    </div>
  );
}

/** The chosen swatch: its colour, share and weight, its lock, and adding and removing. */
function Fields({ palette, dials, chosen, shown, counts, total, choose, put, onDraft }: Seen) {
  const { swatches } = palette;
  const swatch = swatches[chosen]!;
  const colour = shown[chosen]!;
  const changed = (to: Partial<Swatch>) => swatches.map((s, k) => (k === chosen ? { ...s, ...to } : s));
  return (
    <div className="mt-2 flex flex-wrap items-center gap-x-2 gap-y-1.5">
      <FollowControl
        title="Colour"
        how="colour"
        value={swatch.colour}
        most={1}
        otherwise={colour}
        onDraft={(to) => onDraft({ ...palette, swatches: changed({ colour: to as Swatch["colour"] }) })}
        onCommit={(to, label) => put(changed({ colour: to as Swatch["colour"] }), label)}
      >
        <ColourField
          label={`Swatch ${chosen + 1}`}
          value={colour}
          onDraft={(to) => onDraft({ ...palette, swatches: changed({ colour: to }) })}
          onCommit={(to) => put(changed({ colour: to }), "Recolour a swatch")}
        />
      </FollowControl>
      <span className="text-soft tabular">{percent(counts[chosen] ?? 0, total)}</span>
      {palette.parts === "weights" && (
        <FollowNumber
          title="Weight"
          how="dial"
          value={swatch.weight}
          shown={drawn(swatch.weight, dials, 1)}
          change="Weigh a swatch"
          min={0}
          max={1e9}
          step={0.05}
          width="w-[60px]"
          onCommit={(weight, label) => put(changed({ weight }), label)}
        />
      )}
      <span className="ml-auto inline-flex">
        <IconButton
          label={swatch.locked ? `Unlock swatch ${chosen + 1}` : `Lock swatch ${chosen + 1}`}
          aria-pressed={swatch.locked}
          onClick={() => put(changed({ locked: !swatch.locked }), swatch.locked ? "Unlock a swatch" : "Lock a swatch")}
        >
          {swatch.locked ? <Lock size={13} /> : <LockOpen size={13} />}
        </IconButton>
        <IconButton
          label="Add a swatch"
          disabled={swatches.length >= MOST}
          onClick={() => {
            put(swatches.toSpliced(chosen + 1, 0, { ...swatch, locked: false }), "Add a swatch");
            choose(chosen + 1);
          }}
        >
          <Plus size={15} />
        </IconButton>
        <IconButton label={`Remove swatch ${chosen + 1}`} disabled={swatches.length < 2} onClick={() => put(swatches.filter((_, k) => k !== chosen), "Remove a swatch")}>
          <Trash2 size={13} />
        </IconButton>
      </span>
    </div>
  );
}

/** Ask the core for other swatches. */
async function asked({ put, tell }: Seen, path: string, body: object, label: string) {
  try {
    const answer = await json<PaletteAnswer>("POST", path, body);
    tell("");
    put(answer.swatches, label);
  } catch (error) {
    tell((error as Error).message);
  }
}

/** Put the colours of a harmony in place of all swatches that are not locked, the chosen one being its beginning. */
async function reharmonised({ palette, chosen, shown, put, tell }: Seen, relation: keyof typeof RELATIONS) {
  const free = palette.swatches.flatMap((s, k) => (s.locked || k === chosen ? [] : [k]));
  try {
    const answer = await json<PaletteAnswer>("POST", "/harmonies", { colour: shown[chosen]!, relation, space: "oklch", count: free.length + 1 });
    const others = answer.swatches.map((s) => s.colour).filter((colour) => colour !== shown[chosen]);
    put(palette.swatches.map((s, k) => (free.includes(k) ? { ...s, colour: others[free.indexOf(k) % others.length]! } : s)), `${RELATIONS[relation]} in place of all that are unlocked`);
  } catch (error) {
    tell((error as Error).message);
  }
}

/** Put the colours of a harmony after the chosen swatch. */
async function harmonised({ palette, chosen, shown, put, tell }: Seen, relation: keyof typeof RELATIONS, space: "oklch" | "hsv") {
  const colour = shown[chosen]!;
  try {
    const answer = await json<PaletteAnswer>("POST", "/harmonies", { colour, relation, space });
    const others = answer.swatches.filter((s) => s.colour !== colour);
    put(palette.swatches.toSpliced(chosen + 1, 0, ...others).slice(0, MOST), `Add the ${RELATIONS[relation].toLowerCase()}`);
  } catch (error) {
    tell((error as Error).message);
  }
}

/** Take the swatches of a file. */
async function read({ palette, onCommit, tell }: Seen, chosen: File) {
  try {
    const answer = await upload<PaletteAnswer>("/palettes/file", chosen, () => undefined, new AbortController().signal);
    const name = chosen.name.replace(/(\.tokens)?\.[^.]+$/, "").slice(0, 100) || palette.name;
    tell("");
    onCommit({ ...palette, name, swatches: answer.swatches, columns: answer.columns }, `Read ${chosen.name}`);
  } catch (error) {
    tell((error as Error).message);
  }
}

async function write({ palette, fixed, columns }: Seen, format: "png" | "text" | "tokens") {
  const { blob, name } = await fetchFile("POST", "/palettes/files", { swatches: fixed, columns, name: palette.name, format });
  save(blob, name);
}

/** The parts of 0 to 1, and menus for order, harmony and files. */
function Menus(seen: Seen) {
  const { palette, columns, chosen, shown, onCommit } = seen;
  const { swatches } = palette;
  const files = useRef<HTMLInputElement>(null);
  return (
    <div className="mt-2 flex flex-wrap items-center gap-1 border-t border-line pt-2">
      <Choice
        label="Parts"
        plain
        value={palette.parts}
        options={[
          { value: "equal", label: "Equal parts" },
          { value: "weights", label: "Parts by weight" },
        ]}
        onChange={(parts) => onCommit({ ...palette, parts }, "Change the parts")}
      />
      <span className="grow" />
      <ActionMenu
        label="Order"
        items={Object.entries(ORDERS).map(([order, label]) => ({ label, run: () => void asked(seen, "/palettes/order", { swatches, columns, order }, label) }))}
      />
      <ActionMenu
        label="Harmony"
        heading={`To ${shown[chosen]}`}
        items={[
          ...(["oklch", "hsv"] as const).flatMap((space) =>
            (Object.entries(RELATIONS) as [keyof typeof RELATIONS, string][]).map(([relation, label]) => ({
              label: `Add its ${label.toLowerCase()}${space === "hsv" ? " in HSV" : ""}`,
              run: () => void harmonised(seen, relation, space),
            })),
          ),
          ...(Object.entries(RELATIONS) as [keyof typeof RELATIONS, string][]).map(([relation, label]) => ({
            label: `${label} in place of all that are unlocked`,
            disabled: swatches.every((s, k) => s.locked || k === chosen),
            run: () => void reharmonised(seen, relation),
          })),
        ]}
      />
      <ActionMenu
        label="File"
        items={[
          { label: "Read hex text, PNG grid or design tokens…", run: () => files.current?.click() },
          { label: "Write a PNG grid", run: () => void write(seen, "png") },
          { label: "Write hex text", run: () => void write(seen, "text") },
          { label: "Write design tokens (JSON)", run: () => void write(seen, "tokens") },
        ]}
      />
      <Button onClick={() => usePicture.setState({ open: true })}>Picture…</Button>
      <input
        ref={files}
        type="file"
        accept=".png,.json,.txt,.hex,.css"
        className="sr-only"
        tabIndex={-1}
        aria-label="Palette file"
        onChange={(e) => {
          const found = e.target.files?.[0];
          e.target.value = "";
          if (found) void read(seen, found);
        }}
      />
    </div>
  );
}

/** Colours that were pasted, in place of all swatches but those that are locked, which keep their places. */
function pasted(swatches: Swatch[], found: Swatch[]): Swatch[] {
  const rest = [...found];
  const kept = swatches.flatMap((s) => (s.locked ? [s] : rest.length > 0 ? [rest.shift()!] : []));
  return [...kept, ...rest].slice(0, MOST);
}

/** Drawing the unlocked swatches anew, some way apart; and pasting colours. */
function Anew(seen: Seen) {
  const [least, setLeast] = useState(0.08);
  const { palette, columns, put } = seen;
  const body = { swatches: palette.swatches, columns, least };
  return (
    <div className="mt-1.5 flex flex-wrap items-center gap-2">
      <Button onClick={() => void asked(seen, "/palettes/reroll", { ...body, seed: Math.floor(Math.random() * 1e6) }, "Draw the palette anew")}>
        <Dices size={13} aria-hidden />
        Draw anew
      </Button>
      <NumberField label="apart" value={least} min={0} max={0.5} width="w-[56px]" onCommit={setLeast} />
      <PasteText onTake={(found) => put(pasted(palette.swatches, found), "Paste colours")} />
    </div>
  );
}

/** Which two swatches are nearest to each other, for all viewers and where that is hard to tell for some. */
function Nearest({ shown, fixed, columns }: Seen) {
  const [near, setNear] = useState<Pair[]>([]);
  const colours = shown.join();
  useEffect(() => {
    let stale = false;
    const later = setTimeout(() => {
      json<{ pairs: Pair[] }>("POST", "/palettes/nearest", { swatches: fixed, columns })
        .then(({ pairs }) => !stale && setNear(pairs))
        .catch(() => undefined);
    }, 250);
    return () => {
      stale = true;
      clearTimeout(later);
    };
    // oxlint-disable-next-line exhaustive-deps
  }, [colours]);
  if (!near[0]) return null;
  return (
    <p className="mt-2 text-[11px] text-soft tabular">
      Nearest: {near[0].first + 1} and {near[0].second + 1}, {near[0].distance.toFixed(3)} apart
      {near
        .slice(1)
        .filter((p) => p.distance < 0.04)
        .map((p) => `; with ${p.vision} ${p.first + 1} and ${p.second + 1}, ${p.distance.toFixed(3)}`)
        .join("")}
    </p>
  );
}

/** Hex codes or CSS colours, separated by anything. */
function PasteText({ onTake }: { onTake: (swatches: Swatch[]) => void }) {
  const [text, setText] = useState("");
  const [wrong, setWrong] = useState("");
  async function take() {
    try {
      const { colours, passed } = await json<{ colours: { colour: string }[]; passed: string[] }>("POST", "/colour-texts", { text });
      onTake(colours.map(({ colour }) => ({ colour, weight: 1, locked: false })));
      setText("");
      setWrong(notUnderstood(passed));
    } catch (error) {
      setWrong((error as Error).message);
    }
  }
  return (
    <span className="flex min-w-40 grow items-center gap-1">
      <input
        className="field min-w-0 grow"
        aria-label="Paste colours"
        aria-invalid={wrong !== ""}
        title={wrong || "Hex codes or CSS colours, separated by anything; Enter takes them"}
        placeholder="Paste colours"
        value={text}
        onChange={(e) => {
          setText(e.target.value);
          setWrong("");
        }}
        onKeyDown={(e) => e.key === "Enter" && text.trim() && void take()}
      />
      {wrong && (
        <span role="alert" className="max-w-48 text-[11px] font-medium">
          {wrong}
        </span>
      )}
    </span>
  );
}
