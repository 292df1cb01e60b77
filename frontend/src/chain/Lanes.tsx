/** The channels of the material as chips: filled where a lane gives values, dashed where there is none, struck where it is off. */
import type { Channel, Look } from "../api/client";
import { channelOf, laneOf, laneStack, layersOf, paintOf, stackOf, withAt } from "../state/edits";
import { chooseChain, chosenPopulation, editLook, useStore } from "../state/store";
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
  const title = channels.find((c) => c.name === shown)?.title ?? shown;
  return (
    <div className="flex flex-wrap items-center gap-1.5" role="group" aria-label="Channels">
      {channels
        .filter((c) => c.populations.length === 0 || kind === undefined || c.populations.includes(kind))
        .map((channel) => (
          <Chip key={channel.name} channel={channel} look={look} shown={channel.name === shown} />
        ))}
      <span className="ml-auto flex">
        {lane && (
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

function Chip({ channel, look, shown }: { channel: Channel; look: Look; shown: boolean }) {
  const stack = laneStack(channel.name);
  const lane = laneOf(look, stack);
  const layers = layersOf(look, stack);
  const empty = layers.length === 0;
  const state = empty ? "empty" : lane?.enabled ? "on" : "off";
  const look_ = {
    on: shown ? "bg-ink font-semibold text-on-ink" : "bg-well font-semibold",
    off: `line-through ${shown ? "bg-ink text-on-ink" : "bg-well"}`,
    empty: `border-dashed ${shown ? "border-ink font-semibold" : "border-strong text-soft"}`,
  }[state];
  return (
    <button
      type="button"
      aria-pressed={shown}
      aria-label={`${channel.title}, ${state === "empty" ? "no layers" : `${layers.length} ${layers.length === 1 ? "layer" : "layers"}, ${state}`}`}
      title={rangeOf(channel)}
      className={`chip cursor-pointer border ${state === "empty" ? "" : "border-transparent"} ${look_}`}
      onClick={() => chooseChain(paintOf(Math.max(0, layers.length - 1), stack))}
    >
      {channel.title}
    </button>
  );
}
