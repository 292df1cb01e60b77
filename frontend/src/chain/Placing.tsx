/** Numbers of a placement: two or three for the axes, each typed or following; or left out, and then fitted to the elements. */
import { RotateCcw } from "lucide-react";
import { isFollowing } from "../state/follow";
import { Button } from "../widgets/Button";
import { FollowNumber } from "./FollowNumber";
import { type ControlProps, type Property } from "./Parameters";

const AXES = ["x", "y", "z"];
const rounded = (n: number) => Number(n.toPrecision(4));

export function InSpace({ name, of, value, fitted, onDraft, onCommit }: ControlProps) {
  const title = of.title ?? name;
  const shown = (value as unknown[] | null) ?? (Array.isArray(fitted) ? fitted.map(rounded) : null);
  const label = `Change ${title.toLowerCase()}`;
  if (shown === null) return null;
  const wide = of.prefixItems?.length ?? shown.length;
  const changed = (k: number, to: unknown) => shown.slice(0, wide).map((v, i) => (i === k ? to : v));
  const size = Math.max(...shown.map((v) => (typeof v === "number" ? Math.abs(v) : 0)));
  const step = of.unit === "°" ? 1 : size > 20 ? 0.1 : 0.01;
  return (
    <span role="group" aria-label={title} title={of.description} className="inline-flex flex-wrap items-center gap-x-1 gap-y-1">
      <span className="w-[52px] flex-none text-soft">{title}</span>
      {shown.slice(0, wide).map((v, k) => (
        <FollowNumber
          key={AXES[k]}
          title={`${title} ${AXES[k]}`}
          how="marker"
          value={v}
          shown={0}
          change={label}
          hideLabel
          unit={of.unit === "°" ? "°" : undefined}
          step={step}
          digits={3}
          width="w-[62px]"
          onDraft={(to) => onDraft(changed(k, to))}
          onCommit={(to, said) => onCommit(changed(k, to), said)}
        />
      ))}
      {value === null && <span className="text-[11px] text-soft">fitted</span>}
    </span>
  );
}

/** A number that is left out: what stands for it, and typing one. */
export function Fitted({ title, of, fitted, onCommit }: { title: string; of: Property; fitted: number; onCommit: (value: unknown, label: string) => void }) {
  const label = `Change ${title.toLowerCase()}`;
  return (
    <FollowNumber
      title={title}
      how={of.follow === "marker" ? "marker" : "dial"}
      value={rounded(fitted) as unknown}
      shown={rounded(fitted)}
      change={label}
      whole={of.type === "integer"}
      min={of.minimum}
      max={of.maximum}
      step={of.type === "integer" ? 1 : 0.01}
      width="w-[62px]"
      onCommit={(v) => onCommit(v, label)}
    />
  );
}

/** A way back to what fits the elements, where something of a placement is typed. */
export function FitButton({ values, onFit, label = "Fit to the population" }: { values: unknown[]; onFit: () => void; label?: string }) {
  if (values.every((v) => v === null) && !values.some(isFollowing)) return null;
  return (
    <Button onClick={onFit}>
      <RotateCcw size={12} aria-hidden />
      {label}
    </Button>
  );
}
