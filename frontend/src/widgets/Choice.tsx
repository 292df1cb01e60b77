/** One of a few, as a small menu. */
import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from "@headlessui/react";
import { Check, ChevronDown } from "lucide-react";
import { memo } from "react";
import { sameShown, useSteady } from "./steady";

export interface Option<T extends string> {
  value: T;
  label: string;
}

interface Props<T extends string> {
  label: string;
  value: T;
  options: Option<T>[];
  onChange: (value: T) => void;
  plain?: boolean;
}

/** Drawn anew only where it shows something else. */
export function Choice<T extends string>(props: Props<T>) {
  const onChange = useSteady(props.onChange as (value: string) => void);
  return <Shown {...(props as unknown as Props<string>)} onChange={onChange} />;
}

const Shown = memo(function Shown({ label, value, options, onChange, plain }: Props<string>) {
  const shown = options.find((o) => o.value === value)?.label ?? value;
  return (
    <Listbox value={value} onChange={onChange}>
      <ListboxButton
        aria-label={`${label}: ${shown}`}
        className={plain ? "inline-flex h-6.5 items-center gap-1 rounded px-1 hover:bg-well" : "chip cursor-pointer"}
      >
        <span className="truncate">{shown}</span>
        <ChevronDown size={12} aria-hidden />
      </ListboxButton>
      <ListboxOptions
        anchor={{ to: "bottom start", gap: 4 }}
        className="panel z-40 min-w-(--button-width) p-1 shadow-lg outline-none"
      >
        {options.map((option) => (
          <ListboxOption
            key={option.value}
            value={option.value}
            className="flex cursor-pointer items-center gap-2 rounded px-2 py-1 text-xs data-focus:bg-ink data-focus:text-on-ink"
          >
            <Check size={12} className={option.value === value ? "" : "invisible"} aria-hidden />
            {option.label}
          </ListboxOption>
        ))}
      </ListboxOptions>
    </Listbox>
  );
}, sameShown);
