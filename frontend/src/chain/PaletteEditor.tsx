/** The opened palette: its grid of swatches, and what can be done with them. */
import { Dices, LibraryBig, Link2, Lock, LockOpen, Plus, Trash2 } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { type Dial, file, json, type Palette, type PaletteAnswer, type StepCensus, type Swatch, upload } from "../api/client";
import { openLibrary } from "../library/Library";
import { usePicture } from "../library/PictureDialog";
import { save } from "../rooms/publish/save";
import { moved } from "../state/edits";
import { drawn, isFollowing, sourceOf, UNKNOWN } from "../state/follow";
import { isolate, NONE, useStore } from "../state/store";
import { ActionMenu } from "../widgets/ActionMenu";
import { Button, IconButton } from "../widgets/Button";
import { Bars } from "../widgets/Distribution";
import { Choice } from "../widgets/Choice";
import { ColourField } from "../widgets/ColourField";
import { NumberField } from "../widgets/NumberField";
import { percent, textOn } from "../widgets/shares";
import { FollowControl } from "./FollowControl";
import { FollowNumber } from "./FollowNumber";

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

export function PaletteEditor({ palette, census, onDraft, onCommit }: Props) {
  const [at, setAt] = useState(0);
  const [least, setLeast] = useState(0.08);
  const [sentence, setSentence] = useState("");
  const [near, setNear] = useState<Pair[]>([]);
  const held = useRef<number | null>(null);
  const files = useRef<HTMLInputElement>(null);
  const dials = useStore((s) => s.scene?.dials ?? (NONE as Dial[]));
  const { swatches } = palette;
  const columns = Math.max(1, Math.round(drawn(palette.columns, dials, 8)));
  const chosen = Math.min(at, swatches.length - 1);
  const swatch = swatches[chosen]!;
  const shown = swatches.map((s, k) => (isFollowing(s.colour) ? (census?.palette?.colours[k] ?? UNKNOWN) : s.colour));
  const colour = shown[chosen]!;
  const counts = census?.palette?.counts ?? [];
  const total = counts.reduce((a, b) => a + b, 0);

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

  /** The swatches with the colours of now, for what knows no signals and dials. */
  const fixed: Swatch[] = swatches.map((s, k) => ({ ...s, colour: shown[k]!, weight: drawn(s.weight, dials, 1) }));
  const put = (to: Swatch[], label: string) => onCommit({ ...palette, swatches: to }, label);
  const changed = (to: Partial<Swatch>) => swatches.map((s, k) => (k === chosen ? { ...s, ...to } : s));

  async function ask(path: string, body: object, label: string) {
    try {
      const answer = await json<PaletteAnswer>("POST", path, body);
      setSentence("");
      put(answer.swatches, label);
    } catch (error) {
      setSentence((error as Error).message);
    }
  }

  async function harmony(relation: keyof typeof RELATIONS, space: "oklch" | "hsv") {
    try {
      const answer = await json<PaletteAnswer>("POST", "/harmonies", { colour, relation, space });
      const others = answer.swatches.filter((s) => s.colour !== colour);
      put([...swatches.slice(0, chosen + 1), ...others, ...swatches.slice(chosen + 1)].slice(0, MOST), `Add the ${RELATIONS[relation].toLowerCase()}`);
    } catch (error) {
      setSentence((error as Error).message);
    }
  }

  async function readFile(chosenFile: File) {
    try {
      const answer = await upload<PaletteAnswer>("/palettes/file", chosenFile, () => undefined, new AbortController().signal);
      const name = chosenFile.name.replace(/(\.tokens)?\.[^.]+$/, "").slice(0, 100) || palette.name;
      setSentence("");
      onCommit({ ...palette, name, swatches: answer.swatches, columns: answer.columns }, `Read ${chosenFile.name}`);
    } catch (error) {
      setSentence((error as Error).message);
    }
  }

  async function write(format: "png" | "text" | "tokens") {
    const { blob, name } = await file("/palettes/files", { swatches: fixed, columns, name: palette.name, format });
    save(blob, name);
  }

  function shift(from: number, to: number) {
    if (to < 0 || to >= swatches.length || from === to) return;
    put(moved(swatches, from, to), "Move a swatch");
    setAt(to);
  }

  function keys(event: React.KeyboardEvent, k: number) {
    const by = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -columns, ArrowDown: columns }[event.key];
    if (by !== undefined) {
      event.preventDefault();
      if (event.altKey) shift(k, k + by);
      else if (k + by >= 0 && k + by < swatches.length) setAt(k + by);
    } else if ((event.key === "Delete" || event.key === "Backspace") && swatches.length > 1) {
      event.preventDefault();
      put(swatches.filter((_, i) => i !== k), "Remove a swatch");
    }
  }

  const rows = Math.ceil(swatches.length / columns);
  return (
    <div>
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
      {census?.incoming && <Bars of={census.incoming} height={18} label="Values that reach the palette" />}
      <div
        role="listbox"
        aria-label="Swatches"
        aria-activedescendant={`swatch-${chosen}`}
        className="mt-0.5 grid gap-px overflow-hidden rounded-[4px]"
        style={{ gridTemplateColumns: `repeat(${Math.min(columns, swatches.length)}, minmax(0, 1fr))` }}
        onPointerLeave={() => isolate(null)}
      >
        {swatches.map((s, k) => (
          <div
            key={k}
            id={`swatch-${k}`}
            role="option"
            aria-selected={k === chosen}
            aria-label={`Swatch ${k + 1}, ${shown[k]}${isFollowing(s.colour) ? `, follows ${sourceOf(s.colour)}` : ""}${s.locked ? ", locked" : ""}, ${percent(counts[k] ?? 0, total)}`}
            title={`${shown[k]}, ${percent(counts[k] ?? 0, total)}`}
            tabIndex={k === chosen ? 0 : -1}
            draggable
            className="relative grid cursor-grab place-items-center outline-none"
            style={{ background: shown[k], height: rows > 4 ? 22 : 34, color: textOn(shown[k]!), boxShadow: k === chosen ? `inset 0 0 0 2px ${textOn(shown[k]!)}` : "none" }}
            ref={(element) => {
              if (k === chosen && document.activeElement?.getAttribute("role") === "option") element?.focus();
            }}
            onClick={(e) => {
              setAt(k);
              e.currentTarget.focus();
            }}
            onKeyDown={(e) => keys(e, k)}
            onPointerEnter={() => isolate(k)}
            onDragStart={(e) => {
              held.current = k;
              e.dataTransfer.effectAllowed = "move";
              e.dataTransfer.setData("text/plain", shown[k]!);
            }}
            onDragOver={(e) => held.current !== null && e.preventDefault()}
            onDrop={(e) => {
              e.preventDefault();
              if (held.current !== null) shift(held.current, k);
              held.current = null;
            }}
          >
            {isFollowing(s.colour) ? <Link2 size={11} aria-hidden /> : s.locked ? <Lock size={11} aria-hidden /> : null}
          </div>
        ))}
      </div>
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
            onClick={() => (put([...swatches.slice(0, chosen + 1), { ...swatch, locked: false }, ...swatches.slice(chosen + 1)], "Add a swatch"), setAt(chosen + 1))}
          >
            <Plus size={15} />
          </IconButton>
          <IconButton label={`Remove swatch ${chosen + 1}`} disabled={swatches.length < 2} onClick={() => put(swatches.filter((_, k) => k !== chosen), "Remove a swatch")}>
            <Trash2 size={13} />
          </IconButton>
        </span>
      </div>
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
        <ActionMenu label="Order" items={Object.entries(ORDERS).map(([order, label]) => ({ label, run: () => void ask("/palettes/order", { swatches, columns, order }, label) }))} />
        <ActionMenu
          label="Harmony"
          heading={`To ${colour}`}
          items={(["oklch", "hsv"] as const).flatMap((space) =>
            (Object.entries(RELATIONS) as [keyof typeof RELATIONS, string][]).map(([relation, label]) => ({
              label: space === "hsv" ? `${label} in HSV` : label,
              run: () => void harmony(relation, space),
            })),
          )}
        />
        <ActionMenu
          label="File"
          items={[
            { label: "Read hex text, PNG grid or design tokens…", run: () => files.current?.click() },
            { label: "Write a PNG grid", run: () => void write("png") },
            { label: "Write hex text", run: () => void write("text") },
            { label: "Write design tokens (JSON)", run: () => void write("tokens") },
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
            if (found) void readFile(found);
          }}
        />
      </div>
      <div className="mt-1.5 flex flex-wrap items-center gap-2">
        <Button onClick={() => void ask("/palettes/reroll", { swatches, columns, seed: Math.floor(Math.random() * 1e6), least }, "Draw the palette anew")}>
          <Dices size={13} aria-hidden />
          Draw anew
        </Button>
        <NumberField label="apart" value={least} min={0} max={0.5} width="w-[56px]" onCommit={setLeast} />
        <PasteText onTake={(found) => put(found.slice(0, MOST), "Paste colours")} />
      </div>
      {near[0] && (
        <p className="mt-2 text-[11px] text-soft tabular">
          Nearest: {near[0].first + 1} and {near[0].second + 1}, {near[0].distance.toFixed(3)} apart
          {near
            .slice(1)
            .filter((p) => p.distance < 0.04)
            .map((p) => `; with ${p.vision} ${p.first + 1} and ${p.second + 1}, ${p.distance.toFixed(3)}`)
            .join("")}
        </p>
      )}
      {sentence && (
        <p role="alert" className="mt-2 font-medium">
          {sentence}
        </p>
      )}
    </div>
  );
}

/** Hex codes or CSS colours, separated by anything. */
function PasteText({ onTake }: { onTake: (swatches: Swatch[]) => void }) {
  const [text, setText] = useState("");
  const [wrong, setWrong] = useState("");
  async function take() {
    try {
      const { colours } = await json<{ colours: { colour: string }[] }>("POST", "/colour-texts", { text });
      onTake(colours.map(({ colour }) => ({ colour, weight: 1, locked: false })));
      setText("");
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
    </span>
  );
}
