import { Switch } from "@headlessui/react";
import { memo } from "react";
import { sameShown, useSteady } from "./steady";

interface Props {
  label: string;
  on: boolean;
  onChange: (on: boolean) => void;
  /** Without its label beside it. */
  bare?: boolean;
}

/** A switch; drawn anew only where it shows something else. */
export function Toggle(props: Props) {
  const onChange = useSteady(props.onChange);
  return <Shown {...props} onChange={onChange} />;
}

const Shown = memo(function Shown({ label, on, onChange, bare }: Props) {
  return (
    <span className="inline-flex items-center gap-1.5">
      <Switch
        checked={on}
        onChange={onChange}
        aria-label={label}
        className="group relative h-4 w-7 flex-none cursor-pointer rounded-full border border-strong bg-panel data-checked:border-ink data-checked:bg-ink"
      >
        <span className="absolute top-1/2 left-0.5 size-2.5 -translate-y-1/2 rounded-full bg-strong group-data-checked:left-[14px] group-data-checked:bg-on-ink" />
      </Switch>
      {!bare && <span className="text-soft">{label}</span>}
    </span>
  );
}, sameShown);
