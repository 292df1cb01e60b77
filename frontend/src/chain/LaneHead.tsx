/** What belongs to a single channel beside its layers: how shapes and finishes are chosen, cutting out, the way of an offset. */
import type { Lane, Look } from "../api/client";
import { FRESH_LANE, laneOf, laneStack } from "../state/edits";
import { attributesOf, chosenLook, editLook, useStore } from "../state/store";
import { Choice } from "../widgets/Choice";
import { NumberField } from "../widgets/NumberField";
import { Toggle } from "../widgets/Toggle";
import { ElementPictures } from "./ElementPictures";
import { Finishes } from "./Finishes";
import { Seed } from "./Seed";
import { Shapes } from "./Shapes";

const APPROXIMATE = "The view shows this approximately; files carry the exact values.";

function setLane(channel: string, label: string, to: Partial<Lane>) {
  editLook(label, (l) => ({ ...l, lanes: { ...l.lanes, [channel]: { ...(laneOf(l, laneStack(channel)) ?? FRESH_LANE), ...to } } }));
}

export function LaneHead({ look, channel }: { look: Look; channel: string }) {
  const described = useStore((s) => s.channels.find((c) => c.name === channel));
  const lane = laneOf(look, laneStack(channel)) ?? FRESH_LANE;
  if (channel === "finish") return <Finishes look={look} lane={lane} choosing={<Choosing channel={channel} lane={lane} several={look.finishes.length > 1} />} />;
  if (channel === "shape")
    return (
      <>
        <Shapes look={look} lane={lane} choosing={<Choosing channel={channel} lane={lane} several={look.shapes.length > 1} />} />
        <Coverage />
      </>
    );
  if (channel === "opacity") return <CutOut lane={lane} />;
  if (channel === "size") return <Coverage />;
  if (channel === "offset")
    return (
      <>
        <Along lane={lane} look={look} />
        <Coverage />
      </>
    );
  if (described?.pictured) return <ElementPictures look={look} />;
  if (described?.approximate) return <p className="-my-1 text-[11.5px] text-soft">{APPROXIMATE}</p>;
  return null;
}

/** Chance, or a lane; and how its numbers choose. */
function Choosing({ channel, lane, several }: { channel: string; lane: Lane; several: boolean }) {
  if (!several) return null;
  const word = channel === "finish" ? "finish" : "shape";
  if (lane.layers.length === 0 || !lane.enabled) {
    return (
      <div className="flex items-center gap-2">
        <span className="text-soft">By weights and chance</span>
        <span className="ml-auto" />
        <Seed seed={lane.seed} what={`the ${word}s`} onCommit={(seed, label) => setLane(channel, label, { seed })} />
      </div>
    );
  }
  const options = [
    { value: "share" as const, label: "0 to 1 falls into their shares" },
    { value: "number" as const, label: "a whole number picks" },
    ...(channel === "finish" ? [{ value: "blend" as const, label: "0 to 1 blends them in turn" }] : []),
  ];
  return (
    <div className="flex items-center gap-1">
      <span className="text-soft">The layers choose:</span>
      <Choice label={`How the ${word} is chosen`} plain value={lane.choose} options={options} onChange={(choose) => setLane(channel, "Change how it is chosen", { choose, among: null })} />
      {channel === "finish" && lane.choose === "blend" && <Among lane={lane} />}
    </div>
  );
}

const ALL = " ";

/** Which two finishes a blend runs between; all of them in their order where nothing is chosen. */
function Among({ lane }: { lane: Lane }) {
  const names = useStore((s) => chosenLook(s)?.finishes.map((f) => f.name).join("\n") ?? "").split("\n");
  const [from, to] = [lane.among?.[0], lane.among?.at(-1)];
  if (names.length < 3) return null;
  const set = (among: string[] | null) => setLane("finish", "Change what is blended", { among });
  const others = (but: string | undefined) => names.filter((name) => name !== but).map((name) => ({ value: name, label: name }));
  return (
    <span className="inline-flex items-center gap-1">
      <Choice
        label="Blend from"
        plain
        value={from ?? ALL}
        options={[{ value: ALL, label: "all" }, ...others(to)]}
        onChange={(name) => set(name === ALL ? null : [name, to && to !== name ? to : names.find((n) => n !== name)!])}
      />
      {from && to && (
        <>
          <span className="text-soft">to</span>
          <Choice label="Blend to" plain value={to} options={others(from)} onChange={(name) => set([from, name])} />
        </>
      )}
    </span>
  );
}

/** How many times over the elements cover what they stand on, at most four bars of it drawn. */
function Coverage() {
  const covered = useStore((s) => s.results[s.chosen]?.shares.coverage ?? null);
  if (covered === null) return null;
  return (
    <div className="-my-1 flex h-5 items-center gap-2 text-[11.5px] text-soft">
      <span>The elements cover their surface</span>
      <span aria-hidden className="flex gap-0.5">
        {[0, 1, 2, 3].map((k) => (
          <span key={k} className="h-2 w-6 overflow-hidden rounded-xs bg-well">
            <span className="block h-full bg-strong" style={{ width: `${100 * Math.min(1, Math.max(0, covered - k))}%` }} />
          </span>
        ))}
      </span>
      <span className="tabular text-ink">{covered.toFixed(covered < 10 ? 2 : 0)} times</span>
    </div>
  );
}

function CutOut({ lane }: { lane: Lane }) {
  const cut = lane.threshold !== null;
  return (
    <div className="-my-1 flex h-7 items-center gap-3">
      <Toggle label="Cut out" on={cut} onChange={(on) => setLane("opacity", on ? "Cut out" : "See through", { threshold: on ? 0.5 : null })} />
      {cut ? (
        <NumberField label="below" value={lane.threshold! * 100} unit="%" min={0} max={100} digits={1} step={1} onCommit={(v) => setLane("opacity", "Change the threshold", { threshold: v / 100 })} />
      ) : (
        <span className="text-soft">Elements are seen through.</span>
      )}
    </div>
  );
}

function Along({ lane, look }: { lane: Lane; look: Look }) {
  const attributes = useStore(attributesOf);
  const vectors = attributes.filter((a) => a.kind === "vector" && a.width === 3 && !["position", "normal"].includes(a.name)).map((a) => a.name);
  const names = [...new Set([...vectors, ...look.signals.map((s) => s.name), ...(["normal", "up"].includes(lane.along) ? [] : [lane.along])])];
  const options = [{ value: "normal", label: "the normal" }, { value: "up", label: "up" }, ...names.map((name) => ({ value: name, label: name }))];
  return (
    <div className="-my-1 flex h-7 items-center gap-1">
      <span className="text-soft">Along</span>
      <Choice label="Along" plain value={lane.along} options={options} onChange={(along) => setLane("offset", `Offset along ${along}`, { along })} />
    </div>
  );
}
