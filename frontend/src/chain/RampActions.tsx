/** What is done with a whole ramp: how it mixes, its spacing, as text. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { ArrowLeftRight, ChevronDown, ClipboardPaste, Copy, Equal, Grid2x2, LibraryBig, Rows3 } from "lucide-react";
import { useState } from "react";
import { json, type PaletteAnswer, type Ramp } from "../api/client";
import { isFollowing, UNKNOWN } from "../state/follow";
import { editRamp } from "../state/ramps";
import { orderedStops } from "../state/edits";
import { openLibrary } from "../library/Library";
import { tell, useStore } from "../state/store";
import { notUnderstood } from "../widgets/shares";
import { ActionMenu } from "../widgets/ActionMenu";
import { Button } from "../widgets/Button";
import { Choice } from "../widgets/Choice";
import { FollowNumber } from "./FollowNumber";
import { newStop } from "./newStop";
import { INTERPOLATIONS, SPACES } from "./steps/words";

interface Props {
  ramp: Ramp;
  place: string;
  onDraft: (ramp: Ramp) => void;
  onCommit: (ramp: Ramp, label: string) => void;
}

const options = <T extends string>(words: Record<T, string>, before = "") =>
  (Object.entries(words) as [T, string][]).map(([value, label]) => ({ value, label: before + label }));

/**
 * The stops for what lies between them from now on: bands keep the shares that their stops had, being half-way between
 * them; stops of a band go to its middle, the outermost to the ends. Places that follow stay.
 */
function replaced({ stops, interpolation }: Ramp, to: Ramp["interpolation"]): Ramp["stops"] {
  const places = stops.map(({ at }) => at);
  const stepped = interpolation === "steps";
  if (stepped === (to === "steps") || stops.length < 2 || !places.every((at) => typeof at === "number")) return stops;
  const round = (n: number) => Math.round(n * 1e4) / 1e4;
  const ends = [0, ...places.slice(1), 1];
  const middle = (k: number) => (k === 0 ? 0 : k === stops.length - 1 ? 1 : (ends[k]! + ends[k + 1]!) / 2);
  return stops.map((stop, k) => ({ ...stop, at: round(stepped ? middle(k) : k === 0 ? 0 : (places[k - 1]! + places[k]!) / 2) }));
}

export function RampActions({ ramp, place, onDraft, onCommit }: Props) {
  const stepped = ramp.interpolation === "steps";
  const polar = ramp.mix_in === "oklch" || ramp.mix_in === "hsv";
  return (
    <div className="mt-2 flex flex-wrap items-center gap-x-1.5 gap-y-1.5 border-t border-line pt-2">
      <Choice
        label="Between stops"
        plain
        value={ramp.interpolation}
        options={options(INTERPOLATIONS)}
        onChange={(interpolation) => onCommit({ ...ramp, interpolation, stops: replaced(ramp, interpolation) }, "Change what lies between stops")}
      />
      {ramp.interpolation === "through" && (
        <FollowNumber
          title="Tension"
          how="signal"
          value={ramp.tension}
          shown={0}
          change="Change the tension"
          min={-1}
          max={1}
          width="w-[52px]"
          onDraft={(tension) => onDraft({ ...ramp, tension })}
          onCommit={(tension, label) => onCommit({ ...ramp, tension }, label)}
        />
      )}
      {!stepped && (
        <Choice
          label="Mix in"
          plain
          value={ramp.mix_in}
          options={options(SPACES, "In ")}
          onChange={(mix_in) => onCommit({ ...ramp, mix_in }, "Change where colours are mixed")}
        />
      )}
      {!stepped && polar && (
        <Choice
          label="Hue"
          plain
          value={ramp.hue}
          options={[
            { value: "shorter", label: "Shorter way" },
            { value: "longer", label: "Longer way" },
          ]}
          onChange={(hue) => onCommit({ ...ramp, hue }, "Change the way round")}
        />
      )}
      <span className="grow" />
      <Button aria-label="Flip" title="Flip" onClick={() => void editRamp(place, "flip")}>
        <ArrowLeftRight size={13} aria-hidden />
      </Button>
      <Spacing place={place} />
      <Harmony ramp={ramp} onCommit={onCommit} />
      <AsText ramp={ramp} onCommit={onCommit} />
      <Button
        onClick={() =>
          openLibrary({
            kind: "ramp",
            document: ramp,
            onUse: (item) => onCommit({ ...(item.document as unknown as Ramp), enabled: ramp.enabled }, `Use the ramp ${item.name}`),
          })
        }
      >
        <LibraryBig size={13} aria-hidden />
        Library
      </Button>
    </div>
  );
}

const RELATIONS = { complement: "Complement", analogous: "Analogous", triad: "Triad", tetrad: "Tetrad", split_complement: "Split complement" } as const;

/** The colours of a harmony in place of those of all stops that are not locked, from the chosen stop on. */
function Harmony({ ramp, onCommit }: Pick<Props, "ramp" | "onCommit">) {
  const chosen = Math.min(useStore((s) => s.stop), ramp.stops.length - 1);
  const colour = ramp.stops[chosen]!.colour;
  const free = ramp.stops.flatMap((s, k) => (s.locked || k === chosen || isFollowing(s.colour) ? [] : [k]));
  async function take(relation: keyof typeof RELATIONS) {
    try {
      const answer = await json<PaletteAnswer>("POST", "/harmonies", { colour, relation, space: "oklch", count: free.length + 1 });
      const others = answer.swatches.map((s) => s.colour as string).filter((c) => c !== colour);
      onCommit({ ...ramp, stops: ramp.stops.map((s, k) => (free.includes(k) ? { ...s, colour: others[free.indexOf(k) % others.length]! } : s)) }, `${RELATIONS[relation]} of stop ${chosen + 1}`);
    } catch (error) {
      tell((error as Error).message);
    }
  }
  const items = (Object.entries(RELATIONS) as [keyof typeof RELATIONS, string][]).map(([relation, label]) => ({ label, disabled: free.length === 0 || isFollowing(colour), run: () => void take(relation) }));
  return <ActionMenu label="Harmony" heading={`Of stop ${chosen + 1}, for all that are unlocked`} items={items} />;
}

function Spacing({ place }: { place: string }) {
  const items = [
    { label: "Space evenly", icon: Rows3, run: () => void editRamp(place, "space_evenly") },
    { label: "Space by share", icon: Equal, run: () => void editRamp(place, "space_by_share") },
    { label: "Snap to 0.05", icon: Grid2x2, run: () => void editRamp(place, "snap") },
  ];
  return <ActionMenu label="Space" items={items} />;
}

/** The ramp as a hex list with places. */
export function rampText(ramp: Ramp): string {
  return ramp.stops
    .map((s) => `${isFollowing(s.colour) ? UNKNOWN : s.colour}${isFollowing(s.at) ? "" : ` ${Number((s.at * 100).toFixed(4))}%`}`)
    .join(", ");
}

function AsText({ ramp, onCommit }: Pick<Props, "ramp" | "onCommit">) {
  const [text, setText] = useState<string | null>(null);
  const [wrong, setWrong] = useState("");

  async function take(close: () => void) {
    try {
      const { colours, passed } = await json<{ colours: { colour: string; at: number | null }[]; passed: string[] }>("POST", "/colour-texts", { text: text ?? "" });
      const some = colours.slice(0, 256);
      const last = ramp.interpolation === "steps" ? some.length : Math.max(1, some.length - 1);
      const placed = some.map((c, k) => ({ at: c.at ?? k / last, stop: newStop(0, c.colour) }));
      const stops = placed.reduce<typeof placed>((all, stop) => orderedStops([...all, stop], all.length).stops, []);
      onCommit({ ...ramp, stops: stops.map(({ at, stop }) => ({ ...stop, at })) }, "Paste a ramp");
      setText(null);
      setWrong(notUnderstood(passed));
      if (passed.length === 0) close();
    } catch (error) {
      setWrong((error as Error).message);
    }
  }

  return (
    <Popover>
      <PopoverButton className="button" onClick={() => (setText(null), setWrong(""))}>
        Text
        <ChevronDown size={12} aria-hidden />
      </PopoverButton>
      <PopoverPanel anchor={{ to: "bottom end", gap: 6, padding: 8 }} className="panel z-40 w-80 p-3 shadow-xl outline-none">
        {({ close }) => (
          <>
            <label className="block">
              <span className="heading">The ramp as text</span>
              <textarea
                className="field mt-1 h-auto w-full py-1.5 font-mono text-[11px] leading-relaxed"
                rows={5}
                spellCheck={false}
                value={text ?? rampText(ramp)}
                onChange={(e) => {
                  setText(e.target.value);
                  setWrong("");
                }}
              />
            </label>
            <p className="mt-0.5 text-[11px] text-soft">Hex codes or CSS colours, separated by anything; places in percent if you like.</p>
            {wrong && (
              <p role="alert" className="mt-1 font-medium">
                {wrong}
              </p>
            )}
            <div className="mt-2 flex justify-end gap-2">
              <Button onClick={() => void navigator.clipboard?.writeText(rampText(ramp))}>
                <Copy size={13} aria-hidden />
                Copy
              </Button>
              <Button strong disabled={text === null} onClick={() => void take(close)}>
                <ClipboardPaste size={13} aria-hidden />
                Use this text
              </Button>
            </div>
          </>
        )}
      </PopoverPanel>
    </Popover>
  );
}
