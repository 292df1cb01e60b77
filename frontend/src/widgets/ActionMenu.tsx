/** A button that opens a list of actions. */
import { Menu, MenuButton, MenuHeading, MenuItem, MenuItems, MenuSection } from "@headlessui/react";
import { ChevronDown, EllipsisVertical, type LucideIcon } from "lucide-react";
import { memo } from "react";
import { sameShown, useSteady } from "./steady";

export interface Action {
  label: string;
  icon?: LucideIcon;
  run: () => void;
  disabled?: boolean;
}

interface Props {
  label: string;
  items: Action[];
  heading?: string;
  /** Shown as three dots, the label being its accessible name. */
  dots?: boolean;
  /** The tip of the three dots, where it is not the label. */
  title?: string;
  className?: string;
}

/** Drawn anew only where it shows something else. */
export function ActionMenu(props: Props) {
  const run = useSteady((index: number) => props.items[index]?.run());
  return <Shown {...props} onRun={run} />;
}

const Shown = memo(function Shown({ label, items, heading, dots, title, className = "", onRun }: Props & { onRun: (index: number) => void }) {
  return (
    <Menu>
      {dots ? (
        <MenuButton className={`icon-button ${className}`} aria-label={label} title={title ?? label}>
          <EllipsisVertical size={14} />
        </MenuButton>
      ) : (
        <MenuButton className={`button ${className}`}>
          {label}
          <ChevronDown size={12} aria-hidden />
        </MenuButton>
      )}
      <MenuItems anchor={{ to: "bottom end", gap: 4, padding: 8 }} className="panel z-40 p-1 shadow-lg outline-none">
        <MenuSection>
          {heading && <MenuHeading className="heading px-2 py-0.5">{heading}</MenuHeading>}
          {items.map(({ label: name, icon: Icon, disabled }, k) => (
            <MenuItem key={name} disabled={disabled}>
              <button type="button" className="menu-item" onClick={() => onRun(k)}>
                {Icon && <Icon size={13} aria-hidden />}
                {name}
              </button>
            </MenuItem>
          ))}
        </MenuSection>
      </MenuItems>
    </Menu>
  );
}, sameShown);
