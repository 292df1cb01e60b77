/** Every action by name: Ctrl+K. */
import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions, Dialog, DialogBackdrop, DialogPanel } from "@headlessui/react";
import { useState } from "react";

export interface Command {
  name: string;
  keys?: string;
  run: () => void;
}

/** Commands whose words begin with, or contain, what was typed; the nearest first. */
export function matching(commands: Command[], query: string): Command[] {
  const words = query.toLowerCase().split(/\s+/).filter(Boolean);
  return commands
    .filter((c) => words.every((w) => c.name.toLowerCase().includes(w)))
    .toSorted((a, b) => Number(b.name.toLowerCase().startsWith(words[0] ?? "")) - Number(a.name.toLowerCase().startsWith(words[0] ?? "")));
}

/** After a command the keyboard is where that left it, or at the first thing of the room: never nowhere. */
function keepFocus() {
  setTimeout(() => {
    // At once: by the next frame somebody may have gone elsewhere.
    if (document.activeElement === document.body || document.activeElement === null)
      document.querySelector<HTMLElement>(`main > aside[data-room] :is(button, input, [tabindex="0"]):not(:disabled)`)?.focus();
  }, 120);
}

export function CommandSearch({ open, onClose, commands }: { open: boolean; onClose: () => void; commands: Command[] }) {
  const [query, setQuery] = useState("");
  const found = matching(commands, query).slice(0, 12);
  const close = () => {
    setQuery("");
    onClose();
  };
  return (
    <Dialog open={open} onClose={close} className="relative z-50">
      <DialogBackdrop className="fixed inset-0 bg-black/25" />
      <div className="fixed inset-0 flex justify-center pt-[14vh]">
        <DialogPanel className="panel h-fit w-[460px] p-1.5 shadow-2xl">
          <Combobox<Command | null>
            value={null}
            onChange={(command) => {
              close();
              command?.run();
              keepFocus();
            }}
          >
            <ComboboxInput
              autoFocus
              aria-label="Search commands"
              placeholder="What do you want to do?"
              className="h-9 w-full rounded-md bg-transparent px-2.5 text-sm outline-none"
              onChange={(e) => setQuery(e.target.value)}
            />
            <ComboboxOptions static className="mt-1 border-t border-line pt-1">
              {found.map((command, k) => (
                <ComboboxOption
                  key={`${k} ${command.name}`} // scenes may share a name
                  value={command}
                  className="flex h-7.5 cursor-pointer items-center justify-between rounded px-2.5 data-focus:bg-ink data-focus:text-on-ink"
                >
                  {command.name}
                  {command.keys && <kbd className="font-sans text-[11px] opacity-70">{command.keys}</kbd>}
                </ComboboxOption>
              ))}
              {found.length === 0 && <p className="px-2.5 py-2 text-soft">No command has these words.</p>}
            </ComboboxOptions>
          </Combobox>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
