/** A window of all that can be made, each with a small picture and what it is for; Enter makes it. */
import { DialogTitle } from "@headlessui/react";
import { create } from "zustand";
import type { MakerDescription } from "../../api/client";
import { useStore } from "../../state/store";
import { Button } from "../../widgets/Button";
import { Modal } from "../../widgets/Modal";
import { newPopulation } from "./making";

const useMaking = create<{ open: boolean }>(() => ({ open: false }));

export function openMaking(open = true) {
  useMaking.setState({ open });
}

interface Kind {
  maker: MakerDescription;
  /** The name of a beginning; empty for the maker's own defaults. */
  beginning: string;
  parameters: Record<string, unknown>;
}

/** What is made most stands first. */
const FIRST = ["scatter", "mesh", "grid", "fan", "emission", "trails", "strands", "threaded"];
/** What has to be there for a maker: populations of a kind. */
const WANTS: Record<string, string> = { threaded: "strands", trails: "particles" };

/** A maker, or one of its named beginnings where it has any. */
function kindsOf(makers: MakerDescription[]): Kind[] {
  const order = (m: MakerDescription) => (FIRST.includes(m.name) ? FIRST.indexOf(m.name) : FIRST.length);
  return makers
    .filter((m) => m.offered)
    .toSorted((a, b) => order(a) - order(b))
    .flatMap((maker): Kind[] =>
      maker.beginnings.length === 0
        ? [{ maker, beginning: "", parameters: {} }]
        : maker.beginnings.map(({ name, parameters }) => ({ maker, beginning: name, parameters })),
    );
}

export function MakingDialog() {
  const open = useMaking((s) => s.open);
  const makers = useStore((s) => s.makers);
  const there = useStore((s) => [...new Set((s.scene?.populations ?? []).map((p) => s.geometry[p.id]?.header.kind))].join());
  const kinds = kindsOf(makers);
  const make = ({ maker, beginning, parameters }: Kind) => {
    openMaking(false);
    newPopulation(maker, parameters, beginning || maker.title);
  };
  return (
    <Modal open={open} onClose={() => openMaking(false)} className="w-[664px] p-4">
      <div className="flex items-center">
        <DialogTitle className="grow text-[15px] font-semibold">Make something</DialogTitle>
        <Button onClick={() => openMaking(false)}>Cancel</Button>
      </div>
      <ul className="-m-1 grid min-h-0 grid-cols-4 gap-2 overflow-y-auto p-1" aria-label="What can be made">
        {kinds.map((kind, k) => {
          const { maker, beginning } = kind;
          const wants = WANTS[maker.name];
          const lacks = wants !== undefined && !there.split(",").includes(wants);
          return (
            <li key={maker.name + beginning}>
              <button
                type="button"
                autoFocus={k === 0}
                disabled={lacks}
                className="flex h-full w-full cursor-pointer flex-col rounded-lg border border-line p-2 text-left hover:border-ink disabled:cursor-default disabled:opacity-50"
                onClick={() => make(kind)}
              >
                <img
                  alt=""
                  src={`/api/makers/${maker.name}/picture${beginning ? `?beginning=${encodeURIComponent(beginning)}` : ""}`}
                  width={144}
                  height={90}
                  className="mb-1 h-[80px] w-full object-contain"
                />
                <span className="text-[13px] font-semibold">{beginning || maker.title}</span>
                <span className="text-[11.5px] leading-snug text-soft">{lacks ? `Wants ${wants}: make these first.` : beginning ? maker.title.toLowerCase() : maker.summary}</span>
              </button>
            </li>
          );
        })}
      </ul>
    </Modal>
  );
}
