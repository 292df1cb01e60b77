/** What some steps hold beside their parameters: other chains, or a distribution. */
import { Pin, Plus, Trash2 } from "lucide-react";
import type { Step } from "../api/client";
import { editedStep } from "../state/ramps";
import { chooseChain, tell } from "../state/store";
import { Button, IconButton } from "../widgets/Button";
import { fresh, titleOf } from "./steps";
import type { EditorProps, Of } from "./steps/page";

/** The chains that a step chooses from. */
export function Chains({ step, place, onCommit }: EditorProps<Of<"choose">>) {
  return (
    <ol className="mt-2 flex flex-col gap-1" aria-label="Chains to choose from">
      {step.chains.map((chain, k) => (
        // oxlint-disable-next-line no-array-index-key
        <li key={k} className="flex items-center gap-1">
          <Held name={`Chain ${k + 1}`} chain={chain} onOpen={() => chooseChain(`${place}.chains[${k}]`)} />
          <IconButton
            label={`Remove chain ${k + 1}`}
            disabled={step.chains.length < 2}
            onClick={() => onCommit({ ...step, chains: step.chains.filter((_, i) => i !== k) }, "Remove a chain")}
          >
            <Trash2 size={13} />
          </IconButton>
        </li>
      ))}
      <li>
        <Button
          disabled={step.chains.length >= 64}
          onClick={() => onCommit({ ...step, chains: [...step.chains, step.chains.at(-1) ?? [fresh("constant")]] }, "Add a chain")}
        >
          <Plus size={13} aria-hidden />
          Add a chain
        </Button>
      </li>
    </ol>
  );
}

/** The chain that a step mixes with. */
export function OtherChain({ step, place }: EditorProps<Of<"mix">>) {
  return (
    <div className="mt-2">
      <Held name="The other chain" chain={step.chain} onOpen={() => chooseChain(`${place}.chain`)} />
    </div>
  );
}

function Held({ name, chain, onOpen }: { name: string; chain: readonly Step[]; onOpen: () => void }) {
  return (
    <button type="button" className="flex h-7 min-w-0 grow cursor-pointer items-center gap-2 rounded-md bg-well px-2.5 text-left hover:outline hover:outline-ink" onClick={onOpen}>
      <span className="flex-none font-medium">{name}</span>
      <span className="truncate text-soft">{chain.map((s) => titleOf(s.step)).join(" → ")}</span>
      <Glimpse chain={chain} />
    </button>
  );
}

/** The colour of a chain that is one constant. */
function Glimpse({ chain }: { chain: readonly Step[] }) {
  const [only] = chain;
  if (chain.length !== 1 || only?.step !== "constant" || typeof only.value !== "string") return null;
  return <span aria-hidden className="ml-auto size-4 flex-none rounded" style={{ background: only.value }} />;
}

export function HeldDistribution({ step, place, onCommit }: EditorProps<Of<"even_out">>) {
  const held = step.held.length > 0;
  async function hold() {
    try {
      onCommit((await editedStep(place, "hold")) as Of<"even_out">, "Hold this distribution");
    } catch (error) {
      tell((error as Error).message);
    }
  }
  return (
    <div className="mt-1 flex items-center gap-2.5">
      <Button aria-pressed={held} strong={held} onClick={() => (held ? onCommit({ ...step, held: [] }, "Let the distribution go") : void hold())}>
        <Pin size={13} aria-hidden />
        {held ? "Held" : "Hold this distribution"}
      </Button>
      <span className="text-[11px] text-soft">
        {held ? "Measured by the distribution that is held." : "Then values stay when elements come and go."}
      </span>
    </div>
  );
}
