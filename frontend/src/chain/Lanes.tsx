/** One line: the channels in use as chips, a menu of all, and what is done with the lane that is shown. */
import { Eye, Plus } from "lucide-react";
import { memo, useMemo, useRef } from "react";
import type { Channel, Look, StepCensus } from "../api/client";
import { channelOf, laneOf, laneStack, layersOf, paintOf, placeOf, stackOf, withAt } from "../state/edits";
import { chooseChain, chosenPopulation, editLook, pinPreview, useStore } from "../state/store";
import { IconButton } from "../widgets/Button";
import { Bars, Swatches } from "../widgets/Distribution";
import { Finder, type FoundGroup } from "../widgets/Finder";
import { focusOn } from "../widgets/focus";
import { fitting, useWidth } from "../widgets/fitting";
import { Toggle } from "../widgets/Toggle";
import { LaneMenu } from "./LaneMenu";

/** What a channel takes, in a few words. */
function rangeOf({ kind, least, greatest, unit, help }: Channel): string {
  const ends = least === null || greatest === null ? "" : `, ${least} to ${greatest}${unit ? ` ${unit}` : ""}`;
  return `A ${kind} for each element${ends}. ${help}`;
}

/** The channel whose lane is shown; while a signal is, that of the base colour. */
export function useShownChannel(): string {
  return useStore((s) => channelOf(stackOf(s.chain))) ?? "base_colour";
}

/** What a chip tells of a lane. */
function laneFacts(look: Look, channel: string) {
  const stack = laneStack(channel);
  // Some channels have more than layers.
  const held = { finish: look.finishes.length > 0, shape: look.shapes.length > 0, picture_mix: look.picture !== null }[channel] ?? false;
  return { layers: layersOf(look, stack).length, enabled: laneOf(look, stack)?.enabled ?? true, held };
}

const pictured = (look: Look) => look.picture !== null || look.shapes.some((shape) => shape.picture !== null);

/** What the chip of a channel says. */
const titled = (channel: Channel, look: Look) => (channel.name === "picture_mix" && !pictured(look) ? "Picture" : channel.title);

/** The channels that a population has. */
function channelsFor(look: Look, kind: string | undefined, all: Channel[]): Channel[] {
  const some = pictured(look);
  return (
    all
      .filter((c) => c.populations.length === 0 || kind === undefined || c.populations.includes(kind))
      // One row leads to the picture; its corrections come with it.
      .filter((c) => !c.pictured || c.name === "picture_mix" || some || laneOf(look, laneStack(c.name)))
  );
}

/** Show a channel's lane, at its topmost layer. */
export function showChannel(look: Look, channel: string) {
  chooseChain(paintOf(Math.max(0, layersOf(look, laneStack(channel)).length - 1), laneStack(channel)));
}

/** Show a channel's lane and go there with the keyboard: to its chip, or to what gives it a first layer. */
export function toChannel(look: Look, channel: string) {
  showChannel(look, channel);
  focusOn(layersOf(look, laneStack(channel)).length > 0 ? `[aria-label="Channels"] .chip[aria-pressed="true"]` : `[data-first-layer]`);
}

/** Pixels of the menu's button, of what it says where chips are left out, and the room between two chips. */
const BUTTON = 87;
const MORE = 46;
const GAP = 4;

export function Lanes({ look }: { look: Look }) {
  const all = useStore((s) => s.channels);
  const kind = useStore((s) => s.geometry[chosenPopulation(s)?.id ?? ""]?.header.kind);
  const shown = useShownChannel();
  const line = useRef<HTMLSpanElement>(null);
  const width = useWidth(line);
  const used = useMemo(() => {
    const inUse = ({ name }: Channel) => {
      const { layers, held } = laneFacts(look, name);
      return name === "base_colour" || name === shown || layers > 0 || held;
    };
    return channelsFor(look, kind, all).filter(inUse);
  }, [look, kind, all, shown]);
  const chips = used.map((c) => ({ key: c.name, text: titled(c, look), strong: true, kept: c.name === shown }));
  const whole = fitting(chips, width - BUTTON, 18, GAP);
  const fit = whole.size === chips.length ? whole : fitting(chips, width - BUTTON - MORE, 18, GAP);
  const left = used.length - fit.size;
  const lane = laneOf(look, laneStack(shown));
  const alone = useStore((s) => s.pinned?.of === "channel" && s.pinned.name === shown);
  const scale = useStore((s) => s.scale);
  const title = all.find((c) => c.name === shown)?.title ?? shown;
  return (
    <div className="flex h-6.5 items-center gap-1 [&_.chip]:h-6 [&_.chip]:px-2" role="group" aria-label="Channels">
      <span ref={line} className="flex min-w-0 grow items-center gap-1 overflow-hidden">
        {used
          .filter((c) => fit.has(c.name))
          .map((channel) => (
            <Chip key={channel.name} channel={channel} {...laneFacts(look, channel.name)} shown={channel.name === shown} title={titled(channel, look)} onShow={() => showChannel(look, channel.name)} />
          ))}
        <Finder label="Channel" placeholder="Find a channel" className="h-6! flex-none px-2!" width="w-[432px]" groups={() => listed(look, channelsFor(look, kind, all))}>
          <Plus size={12} aria-hidden />
          Channel
          {left > 0 && <span className="text-soft tabular">{left} more</span>}
        </Finder>
      </span>
      {lane && lane.layers.length > 0 && (
        <Toggle label={`${title} on`} bare on={lane.enabled} onChange={(on) => editLook(`Switch ${title.toLowerCase()} ${on ? "on" : "off"}`, (l) => withAt(l, `${laneStack(shown)}.enabled`, on))} />
      )}
      <IconButton label={`Show ${title.toLowerCase()} alone in the view`} aria-pressed={alone} onClick={() => pinPreview(alone ? null : { of: "channel", name: shown, scale })}>
        <Eye size={13} className={alone ? "" : "text-soft"} />
      </IconButton>
      <LaneMenu channel={shown} />
    </div>
  );
}

const GROUPS = { surface: "Surface", light: "Light", form: "Form", picture: "Picture" } as const;

/** All channels by what they are about, those in use with their distribution. */
function listed(look: Look, channels: Channel[]): FoundGroup[] {
  const state = useStore.getState();
  const census = state.results[state.chosen]?.steps ?? {};
  return Object.entries(GROUPS).map(([group, heading]) => ({
    heading,
    items: channels
      .filter((c) => c.group === group)
      .map((channel) => {
        const facts = laneFacts(look, channel.name);
        const run = () => toChannel(look, channel.name);
        return { key: channel.name, title: titled(channel, look), text: channel.help, run, mark: <Mark facts={facts} census={lastOf(look, channel.name, census)} /> };
      }),
  }));
}

/** The census of the last step of a lane's topmost layer. */
function lastOf(look: Look, channel: string, census: Record<string, StepCensus>): StepCensus | undefined {
  const stack = laneStack(channel);
  const layers = layersOf(look, stack);
  const top = layers.at(-1);
  return top && census[placeOf(paintOf(layers.length - 1, stack), top.paint.length - 1)];
}

function Mark({ facts, census }: { facts: ReturnType<typeof laneFacts>; census: StepCensus | undefined }) {
  if (facts.layers === 0 && !facts.held) return null;
  return (
    <span className="flex w-20 flex-none items-center justify-end">
      {facts.layers === 0 || !facts.enabled || !census ? (
        <span className="text-[11px] opacity-80">{facts.enabled ? "in use" : "off"}</span>
      ) : census.colours ? (
        <span className="w-14">
          <Swatches of={census.colours} height={12} label="Its colours" />
        </span>
      ) : census.numbers ? (
        <span className="w-14">
          <Bars of={census.numbers} height={13} label="Its distribution" />
        </span>
      ) : null}
    </span>
  );
}

interface ChipProps extends ReturnType<typeof laneFacts> {
  channel: Channel;
  title: string;
  shown: boolean;
  onShow: () => void;
}

/** Drawn anew only where it tells something else: a look changes with every edit, its channels seldom. */
const Chip = memo(
  function Chip({ channel, title, layers, enabled, held, shown, onShow }: ChipProps) {
    const state = layers === 0 && !held ? "empty" : enabled ? "on" : "off";
    const look_ = {
      on: shown ? "bg-ink font-semibold text-on-ink" : "bg-well font-semibold",
      off: `line-through ${shown ? "bg-ink text-on-ink" : "bg-well"}`,
      empty: `border-dashed ${shown ? "border-ink font-semibold" : "border-strong text-soft"}`,
    }[state];
    return (
      <button
        type="button"
        aria-pressed={shown}
        aria-label={`${channel.title}, ${layers === 0 ? "no layers" : `${layers} ${layers === 1 ? "layer" : "layers"}, ${state}`}`}
        title={rangeOf(channel)}
        className={`chip flex-none cursor-pointer border ${state === "empty" ? "" : "border-transparent"} ${look_}`}
        onClick={onShow}
      >
        {title}
      </button>
    );
  },
  (a, b) => (Object.keys(a) as (keyof ChipProps)[]).every((key) => key === "onShow" || a[key] === b[key]) && a.layers === b.layers,
);
