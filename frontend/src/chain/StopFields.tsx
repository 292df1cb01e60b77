/** The chosen stop of a ramp in numbers: colour, place, share, intensity. */
import { Copy, Lock, LockOpen, Plus, Trash2 } from "lucide-react";
import type { Ramp, RampCensus, Stop } from "../api/client";
import { isFollowing, UNKNOWN } from "../state/follow";
import { setShares } from "../state/ramps";
import { IconButton } from "../widgets/Button";
import { ColourField } from "../widgets/ColourField";
import { NumberField } from "../widgets/NumberField";
import { percent, withShare } from "../widgets/shares";
import { Toggle } from "../widgets/Toggle";
import { FollowControl } from "./FollowControl";
import { FollowNumber } from "./FollowNumber";

interface Props {
  ramp: Ramp;
  place: string;
  chosen: number;
  /** Where the stop is drawn. */
  at: number;
  census: RampCensus | undefined;
  total: number;
  onDraft: (to: Partial<Stop>) => void;
  onCommit: (to: Partial<Stop>, label: string) => void;
  onAdd: () => void;
  onDuplicate: () => void;
  onRemove: () => void;
}

export function StopFields({ ramp, place, chosen, at, census, total, onDraft, onCommit, onAdd, onDuplicate, onRemove }: Props) {
  const stop = ramp.stops[chosen]!;
  const stepped = ramp.interpolation === "steps";
  const locked = ramp.stops.map((s) => s.locked);
  return (
    <>
      <div className="mt-1 flex flex-wrap items-center gap-x-2 gap-y-2">
        <FollowControl
          title="Colour"
          how="colour"
          value={stop.colour}
          most={1}
          otherwise={UNKNOWN}
          onDraft={(colour) => onDraft({ colour: colour as Stop["colour"] })}
          onCommit={(colour, label) => onCommit({ colour: colour as Stop["colour"] }, label)}
        >
          <ColourField
            label={`Stop ${chosen + 1}`}
            value={isFollowing(stop.colour) ? UNKNOWN : stop.colour}
            onDraft={(colour) => onDraft({ colour })}
            onCommit={(colour) => onCommit({ colour }, "Recolour a stop")}
          />
        </FollowControl>
        <FollowNumber
          title={stepped ? "from" : "at"}
          how="signal"
          value={stop.at}
          shown={at}
          change="Move a stop"
          min={0}
          max={1}
          step={0.01}
          digits={4}
          width="w-[58px]"
          onDraft={(to) => onDraft({ at: to })}
          onCommit={(to, label) => onCommit({ at: to }, label)}
        />
        {stepped && census ? (
          <span className="inline-flex items-center">
            <NumberField
              label="share"
              unit="%"
              value={total ? (100 * (census.counts[chosen] ?? 0)) / total : 0}
              min={0}
              max={100}
              step={1}
              digits={2}
              width="w-[64px]"
              onCommit={(v) => void setShares(place, withShare(census.counts, chosen, v / 100, locked))}
            />
            <IconButton
              label={stop.locked ? "Unlock the share" : "Lock the share"}
              aria-pressed={stop.locked}
              onClick={() => onCommit({ locked: !stop.locked }, stop.locked ? "Unlock a share" : "Lock a share")}
            >
              {stop.locked ? <Lock size={13} /> : <LockOpen size={13} className="text-strong" />}
            </IconButton>
          </span>
        ) : (
          <span className="text-soft tabular" title="Elements whose colour is nearest to this stop's">
            near {percent(census?.counts[chosen] ?? 0, total)}
          </span>
        )}
      </div>
      <div className="mt-1.5 flex flex-wrap items-center gap-x-2.5 gap-y-2">
        <FollowNumber
          title="Intensity"
          how="signal"
          value={stop.intensity}
          shown={1}
          change="Change the intensity"
          min={0}
          max={1000}
          step={0.1}
          digits={3}
          width="w-[58px]"
          onDraft={(intensity) => onDraft({ intensity })}
          onCommit={(intensity, label) => onCommit({ intensity }, label)}
        />
        {!stepped && (
          <Toggle label="Hold until the next" on={stop.hold} onChange={(hold) => onCommit({ hold }, hold ? "Hold a colour" : "Mix again")} />
        )}
        <span className="ml-auto inline-flex">
          <IconButton label="Add a stop in the widest gap" onClick={onAdd}>
            <Plus size={15} />
          </IconButton>
          <IconButton label={`Duplicate stop ${chosen + 1}`} onClick={onDuplicate}>
            <Copy size={13} />
          </IconButton>
          <IconButton label={`Remove stop ${chosen + 1}`} disabled={ramp.stops.length < 2} onClick={onRemove}>
            <Trash2 size={14} />
          </IconButton>
        </span>
      </div>
    </>
  );
}
