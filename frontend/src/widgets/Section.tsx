/** A section of a side column: it folds, says how many it holds, and stays as it was left; an empty one is one line. */
import { ChevronDown, ChevronRight } from "lucide-react";
import { type ReactNode, useState } from "react";

interface Props {
  name: string;
  /** Its accessible name, where that is not its name. */
  label?: string;
  /** How many it holds; none makes it a single line. */
  count: number;
  /** At the right of its line. */
  actions?: ReactNode;
  className?: string;
  children?: ReactNode;
}

const kept = (name: string) => `gaudyseed-folded-${name}`;

export function Section({ name, label, count, actions, className = "", children }: Props) {
  const [folded, setFolded] = useState(() => localStorage.getItem(kept(name)) === "yes");
  const fold = () => {
    localStorage.setItem(kept(name), folded ? "no" : "yes");
    setFolded(!folded);
  };
  const Arrow = folded ? ChevronRight : ChevronDown;
  const open = !folded && count > 0;
  return (
    <section aria-label={label ?? name} className={`${className} ${open ? "" : "flex-none!"}`}>
      <div className="flex h-6.5 items-center justify-between">
        <h2 className="heading min-w-0">
          {count > 0 ? (
            <button type="button" aria-expanded={!folded} className="heading -ml-1 flex h-6 min-w-0 cursor-pointer items-center gap-0.5 rounded pr-1" onClick={fold}>
              <Arrow size={12} className="flex-none" aria-hidden />
              <span className="truncate">{name}</span>
              <span className="ml-1 font-normal tabular">{count}</span>
            </button>
          ) : (
            <span className="pl-2.5">{name}</span>
          )}
        </h2>
        {actions && <span className="flex flex-none items-center">{actions}</span>}
      </div>
      {open && children}
    </section>
  );
}
