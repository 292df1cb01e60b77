/** What is done with a whole ramp: how it mixes, its spacing, as text. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { ArrowLeftRight, ChevronDown, ClipboardPaste, Copy, Equal, Grid2x2, LibraryBig, Rows3 } from "lucide-react";
import { useState } from "react";
import { json, type Ramp } from "../api/client";
import { isFollowing, UNKNOWN } from "../state/follow";
import { editRamp } from "../state/ramps";
import { orderedStops } from "../state/edits";
import { openLibrary } from "../library/Library";
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
        onChange={(interpolation) => onCommit({ ...ramp, interpolation }, "Change what lies between stops")}
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
      const { colours } = await json<{ colours: { colour: string; at: number | null }[] }>("POST", "/colour-texts", { text: text ?? "" });
      const some = colours.slice(0, 256);
      const last = ramp.interpolation === "steps" ? some.length : Math.max(1, some.length - 1);
      const placed = some.map((c, k) => ({ at: c.at ?? k / last, stop: newStop(0, c.colour) }));
      const stops = placed.reduce<typeof placed>((all, stop) => orderedStops([...all, stop], all.length).stops, []);
      onCommit({ ...ramp, stops: stops.map(({ at, stop }) => ({ ...stop, at })) }, "Paste a ramp");
      setText(null);
      close();
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
