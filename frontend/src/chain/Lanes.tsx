/** The channels of the material as chips: filled where a lane gives values, dashed where there is none, struck where it is off. */
import { Eye } from "lucide-react";
import { memo } from "react";
import type { Channel, Look } from "../api/client";
import { channelOf, laneOf, laneStack, layersOf, paintOf, stackOf, withAt } from "../state/edits";
import { chooseChain, chosenPopulation, editLook, pinPreview, useStore } from "../state/store";
import { IconButton } from "../widgets/Button";
import { Toggle } from "../widgets/Toggle";

/** What a channel takes, in a few words. */
function rangeOf({ kind, least, greatest, unit, help }: Channel): string {
  const ends = least === null || greatest === null ? "" : `, ${least} to ${greatest}${unit ? ` ${unit}` : ""}`;
  return `A ${kind} for each element${ends}. ${help}`;
}

/** The channel whose lane is shown; while a signal is, that of the base colour. */
export function useShownChannel(): string {
  return useStore((s) => channelOf(stackOf(s.chain))) ?? "base_colour";
}

export function Lanes({ look }: { look: Look }) {
  const channels = useStore((s) => s.channels);
  const kind = useStore((s) => s.geometry[chosenPopulation(s)?.id ?? ""]?.header.kind);
  const shown = useShownChannel();
  const lane = laneOf(look, laneStack(shown));
  const alone = useStore((s) => s.pinned?.of === "channel" && s.pinned.name === shown);
  const scale = useStore((s) => s.scale);
  const pictured = look.picture !== null || look.shapes.some((shape) => shape.picture !== null);
  const title = channels.find((c) => c.name === shown)?.title ?? shown;
  return (
    <div className="flex flex-wrap items-center gap-1 [&_.chip]:h-6 [&_.chip]:px-2" role="group" aria-label="Channels">
      {channels
        .filter((c) => c.populations.length === 0 || kind === undefined || c.populations.includes(kind))
        // One chip leads to the picture; its corrections come with it.
        .filter((c) => !c.pictured || c.name === "picture_mix" || pictured || laneOf(look, laneStack(c.name)))
        .map((channel) => (
          <Chip key={channel.name} channel={channel} {...laneFacts(look, channel.name)} shown={channel.name === shown} pictured={pictured} />
        ))}
      {/* On a line of its own: the counter's words change with each answer, and nothing below may move for that. */}
      <span className="flex h-6 w-full items-center justify-end gap-1">
        <Counter />
        <IconButton
          label={`Show ${title.toLowerCase()} alone in the view`}
          aria-pressed={alone}
          onClick={() => pinPreview(alone ? null : { of: "channel", name: shown, scale })}
        >
          <Eye size={13} className={alone ? "" : "text-soft"} />
        </IconButton>
        {lane && lane.layers.length > 0 && (
          <Toggle
            label={`${title} on`}
            on={lane.enabled}
            onChange={(on) => editLook(`Switch ${title.toLowerCase()} ${on ? "on" : "off"}`, (l) => withAt(l, `${laneStack(shown)}.enabled`, on))}
          />
        )}
      </span>
    </div>
  );
}

/** What the last answer worked out anew, and which lanes came with it. */
function Counter() {
  const told = useStore((s) => {
    const result = s.results[s.chosen];
    return result ? JSON.stringify([result.computed.length, result.reused, result.sent ?? []]) : null;
  });
  if (!told) return null;
  const [computed, reused, sent] = JSON.parse(told) as [number, number, string[]];
  const lanes = sent.length === 0 ? "nothing sent" : sent.length === 1 ? "1 sent" : `${sent.length} sent`;
  return (
    <span className="mr-1 text-[11px] text-soft tabular" data-sent={sent.join(" ")} title={sent.length > 0 ? `Sent: ${sent.join(", ").replaceAll("_", " ")}` : undefined}>
      {computed} of {computed + reused} steps anew, {lanes}
    </span>
  );
}

/** What a chip tells of a lane. */
function laneFacts(look: Look, channel: string) {
  const stack = laneStack(channel);
  // Some channels have more than layers.
  const held = { finish: look.finishes.length > 0, shape: look.shapes.length > 0, picture_mix: look.picture !== null }[channel] ?? false;
  return { layers: layersOf(look, stack).length, enabled: laneOf(look, stack)?.enabled ?? true, held };
}

interface ChipProps extends ReturnType<typeof laneFacts> {
  channel: Channel;
  shown: boolean;
  pictured: boolean;
}

/** Drawn anew only where it tells something else: a look changes with every edit, its channels seldom. */
const Chip = memo(function Chip({ channel, layers, enabled, held, shown, pictured }: ChipProps) {
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
      className={`chip cursor-pointer border ${state === "empty" ? "" : "border-transparent"} ${look_}`}
      onClick={() => chooseChain(paintOf(Math.max(0, layers - 1), laneStack(channel.name)))}
    >
      {channel.name === "picture_mix" && !pictured ? "Picture" : channel.title}
    </button>
  );
});
