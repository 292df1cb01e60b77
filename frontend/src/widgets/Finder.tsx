/** A button that opens a list with a search: what fits first, what cannot be had last, greyed, with the reason. */
import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions, Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { type ReactNode, useId, useState } from "react";

export interface Found {
  key: string;
  title: string;
  /** What it does, in a few words. */
  text?: string;
  /** Drawn at the end of its line. */
  mark?: ReactNode;
  /** Why it cannot be had. */
  reason?: string;
  run: () => void;
}

export interface FoundGroup {
  heading: string;
  items: Found[];
}

/** Items whose title or text has every word that was typed; those whose title begins so first, those not to be had last. */
export function ranked(groups: FoundGroup[], query: string): Found[] {
  const words = query.toLowerCase().split(/\s+/).filter(Boolean);
  const unlike = new Map<string, Found>();
  for (const item of groups.flatMap(({ items }) => items)) if (!unlike.has(item.key)) unlike.set(item.key, item);
  const score = ({ title, reason }: Found) => {
    const at = title.toLowerCase().indexOf(words[0]!);
    return (reason ? 10 : 0) + (at === 0 ? 0 : at > 0 ? 1 : 2);
  };
  return [...unlike.values()]
    .filter(({ title, text = "" }) => words.every((w) => `${title} ${text}`.toLowerCase().includes(w)))
    .toSorted((a, b) => score(a) - score(b));
}

interface Props {
  /** The accessible name of the button and of the search. */
  label: string;
  placeholder: string;
  /** What the button shows. */
  children: ReactNode;
  className?: string;
  width?: string;
  groups: () => FoundGroup[];
}

export function Finder({ label, placeholder, children, className = "", width = "w-[404px]", groups }: Props) {
  return (
    <Popover className="contents">
      <PopoverButton className={`button ${className}`} aria-label={label}>
        {children}
      </PopoverButton>
      <PopoverPanel anchor={{ to: "bottom end", gap: 4, padding: 8 }} className={`panel z-40 flex flex-col overflow-hidden! p-1.5 shadow-lg outline-none ${width}`}>
        {({ close }) => <Listed label={label} placeholder={placeholder} groups={groups()} close={close} />}
      </PopoverPanel>
    </Popover>
  );
}

function Listed({ label, placeholder, groups, close }: Pick<Props, "label" | "placeholder"> & { groups: FoundGroup[]; close: () => void }) {
  const [query, setQuery] = useState("");
  const id = useId();
  const found = query.trim() ? [{ heading: "", items: ranked(groups, query) }] : groups.filter(({ items }) => items.length > 0);
  return (
    <Combobox<Found | null>
      value={null}
      onChange={(item) => {
        if (!item) return;
        close();
        item.run();
      }}
    >
      <ComboboxInput
        autoFocus
        aria-label={label}
        placeholder={placeholder}
        className="h-8 w-full flex-none rounded-md bg-transparent px-2 text-[13px] outline-none"
        onChange={(e) => setQuery(e.target.value)}
        onKeyDown={(e) => {
          if (e.key !== "Escape") return;
          e.preventDefault();
          close();
        }}
      />
      <ComboboxOptions static className="min-h-0 flex-1 overflow-y-auto border-t border-line pt-1 outline-none">
        {found.map(({ heading, items }, g) => (
          <div key={heading} role="group" aria-labelledby={heading ? `${id}${g}` : undefined} aria-label={heading ? undefined : "Found"}>
            {heading && (
              <p id={`${id}${g}`} className="heading px-2 pt-1 pb-0.5">
                {heading}
              </p>
            )}
            {items.map((item) => (
              <ComboboxOption
                key={item.key}
                value={item}
                disabled={item.reason !== undefined}
                title={item.reason ?? item.text}
                className="flex h-6.5 cursor-pointer items-center gap-2 rounded px-2 data-disabled:cursor-default data-disabled:text-soft data-focus:bg-ink data-focus:text-on-ink"
              >
                <span className={`flex-none ${item.reason ? "" : "font-semibold"}`}>{item.title}</span>
                <span className="min-w-0 grow truncate opacity-80">{item.reason ?? item.text}</span>
                {item.mark}
              </ComboboxOption>
            ))}
          </div>
        ))}
        {found.every(({ items }) => items.length === 0) && <p className="px-2 py-1.5 text-soft">Nothing here has these words.</p>}
      </ComboboxOptions>
    </Combobox>
  );
}
