/** The library: ramps, palettes, chains, layers and looks kept for use anywhere. */
import { DialogTitle } from "@headlessui/react";
import { LayoutGrid, Search, Star, Trash2, X } from "lucide-react";
import { useState } from "react";
import { create } from "zustand";
import { json, type LibraryItem, type LibraryKind } from "../api/client";
import { view } from "../view3d/current";
import { Button, IconButton } from "../widgets/Button";
import { Modal } from "../widgets/Modal";

interface Wanted {
  kind: LibraryKind;
  /** What can be kept, as it is now. */
  document: unknown;
  onUse: (item: LibraryItem) => void;
}

interface State {
  wanted: Wanted | null;
  items: LibraryItem[];
  sentence: string;
}

const useLibrary = create<State>(() => ({ wanted: null, items: [], sentence: "" }));

const WORDS: Record<LibraryKind, string> = { ramp: "ramp", palette: "palette", chain: "chain", layer: "layer", look: "look", finish: "finish" };

const several = (word: string) => (word.endsWith("sh") ? `${word}es` : `${word}s`);

async function refresh(kind: LibraryKind) {
  try {
    const { items } = await json<{ items: LibraryItem[] }>("GET", `/library?kind=${kind}`);
    useLibrary.setState({ items, sentence: "" });
  } catch (error) {
    useLibrary.setState({ sentence: (error as Error).message });
  }
}

export function openLibrary(wanted: Wanted) {
  useLibrary.setState({ wanted, items: [], sentence: "" });
  void refresh(wanted.kind);
}

const close = () => useLibrary.setState({ wanted: null });

/** A small picture of the view, for things that have no strip of colours. */
async function smallPicture(): Promise<string> {
  try {
    const blob = await view.stage!.picture(320, 200);
    return await new Promise((resolve) => {
      const reader = new FileReader();
      reader.onload = () => resolve(String(reader.result));
      reader.onerror = () => resolve("");
      reader.readAsDataURL(blob);
    });
  } catch {
    return "";
  }
}

export async function keep(kind: LibraryKind, name: string, document: unknown): Promise<void> {
  const taken = kind === "ramp" || kind === "palette" ? "" : await smallPicture();
  const picture = taken.length < 300_000 ? taken : "";
  await json("POST", "/library", { kind, name, document, picture });
}

export function Library() {
  const { wanted, items, sentence } = useLibrary();
  const [query, setQuery] = useState("");
  const [name, setName] = useState("");
  const word = wanted ? WORDS[wanted.kind] : "";
  const shown = items.filter((i) => i.name.toLowerCase().includes(query.trim().toLowerCase()));

  async function run(work: () => Promise<unknown>) {
    try {
      await work();
      if (wanted) await refresh(wanted.kind);
    } catch (error) {
      useLibrary.setState({ sentence: (error as Error).message });
    }
  }

  return (
    <Modal open={wanted !== null} onClose={close} className="w-[640px] p-4">
      <div className="flex items-center gap-3">
        <DialogTitle className="text-[15px] font-semibold capitalize">{several(word)}</DialogTitle>
        <label className="relative grow">
          <Search size={12} className="absolute top-1/2 left-2 -translate-y-1/2 text-soft" aria-hidden />
          <input className="field w-full pl-6.5" aria-label={`Find a ${word}`} placeholder="Find" value={query} onChange={(e) => setQuery(e.target.value)} />
        </label>
        <IconButton label="Close the library" onClick={close}>
          <X size={15} />
        </IconButton>
      </div>
      {sentence && <p role="alert">{sentence}</p>}
      <ul className="grid max-h-[420px] grid-cols-2 gap-2 overflow-y-auto" aria-label={`Kept ${several(word)}`}>
        {shown.map((item) => (
          <li key={item.id} className="panel relative overflow-hidden hover:border-ink">
            <button
              type="button"
              className="block w-full cursor-pointer text-left"
              aria-label={`Use ${item.name}`}
              onClick={() => {
                wanted?.onUse(item);
                close();
              }}
            >
              <Picture item={item} />
              <span className="block truncate px-2.5 py-1.5 pr-16 font-medium">{item.name}</span>
            </button>
            <span className="absolute right-1 bottom-0.5 flex">
              <IconButton
                label={item.favourite ? `${item.name} is a favourite` : `Make ${item.name} a favourite`}
                aria-pressed={item.favourite}
                onClick={() => void run(() => json("PUT", `/library/${item.id}`, { favourite: !item.favourite }))}
              >
                <Star size={13} fill={item.favourite ? "currentColor" : "none"} />
              </IconButton>
              <IconButton label={`Remove ${item.name}`} onClick={() => void run(() => json("DELETE", `/library/${item.id}`))}>
                <Trash2 size={13} />
              </IconButton>
            </span>
          </li>
        ))}
        {shown.length === 0 && <li className="col-span-2 py-6 text-center text-soft">{query ? `No ${word} has this name.` : `No ${word} has been kept yet.`}</li>}
      </ul>
      <form
        className="flex items-center gap-2 border-t border-line pt-3"
        onSubmit={(e) => {
          e.preventDefault();
          const called = name.trim();
          if (wanted && called) void run(() => keep(wanted.kind, called, wanted.document)).then(() => setName(""));
        }}
      >
        <input className="field grow" aria-label={`Name for this ${word}`} placeholder={`Name for this ${word}`} maxLength={100} value={name} onChange={(e) => setName(e.target.value)} />
        <Button type="submit" strong disabled={!name.trim()}>
          Keep it
        </Button>
      </form>
    </Modal>
  );
}

function Picture({ item }: { item: LibraryItem }) {
  if (item.picture) return <img src={item.picture} alt="" className={`h-20 w-full ${item.kind === "finish" ? "bg-[#a9a9a9] object-contain" : "bg-well object-cover"}`} />;
  if (item.strip.length === 0) {
    return (
      <span className="grid h-10 place-items-center bg-well text-soft">
        <LayoutGrid size={14} aria-hidden />
      </span>
    );
  }
  return (
    <span className="flex h-10" aria-hidden>
      {item.strip.map((colour, k) => (
        <span key={k} className="grow" style={{ background: colour }} />
      ))}
    </span>
  );
}

// Copying between populations and scenes: the browser keeps what was copied last of each kind.

const KEY = (kind: LibraryKind) => `gaudyseed 2 copied ${kind}`;

export function copy(kind: LibraryKind, document: unknown) {
  localStorage.setItem(KEY(kind), JSON.stringify(document));
}

export function copied<T>(kind: LibraryKind): T | null {
  try {
    return JSON.parse(localStorage.getItem(KEY(kind)) ?? "null") as T | null;
  } catch {
    return null;
  }
}
