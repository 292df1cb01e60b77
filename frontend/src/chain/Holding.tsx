/** What some steps hold beside their parameters: other chains, or a frozen distribution. */
import { Plus, Snowflake, Trash2 } from "lucide-react";
import { json, type Step } from "../api/client";
import { chooseChain, chosenPopulation, useStore } from "../state/store";
import { Button, IconButton } from "../widgets/Button";
import { fresh } from "./fresh";
import { STEP_WORDS } from "./words";

interface Props {
  step: Step;
  place: string;
  onCommit: (step: Step, label: string) => void;
}

export function Holding({ step, place, onCommit }: Props) {
  if (step.step === "choose") {
    return (
      <ol className="mt-2 flex flex-col gap-1" aria-label="Chains to choose from">
        {step.chains.map((chain, k) => (
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
            onClick={() => onCommit({ ...step, chains: [...step.chains, step.chains.at(-1) ?? [fresh("constant", "")]] }, "Add a chain")}
          >
            <Plus size={13} aria-hidden />
            Add a chain
          </Button>
        </li>
      </ol>
    );
  }
  if (step.step === "mix") {
    return (
      <div className="mt-2">
        <Held name="The other chain" chain={step.chain} onOpen={() => chooseChain(`${place}.chain`)} />
      </div>
    );
  }
  return step.step === "even_out" ? <Freeze step={step} place={place} onCommit={onCommit} /> : null;
}

function Held({ name, chain, onOpen }: { name: string; chain: readonly Step[]; onOpen: () => void }) {
  return (
    <button type="button" className="flex h-7 min-w-0 grow cursor-pointer items-center gap-2 rounded-md bg-well px-2.5 text-left hover:outline hover:outline-ink" onClick={onOpen}>
      <span className="flex-none font-medium">{name}</span>
      <span className="truncate text-soft">{chain.map((s) => STEP_WORDS[s.step].title).join(" → ")}</span>
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

function Freeze({ step, place, onCommit }: { step: Extract<Step, { step: "even_out" }>; place: string; onCommit: Props["onCommit"] }) {
  const frozen = step.frozen.length > 0;
  async function freeze() {
    const { scene, chosen } = useStore.getState();
    if (!scene || !chosenPopulation(useStore.getState())) return;
    try {
      const answer = await json<{ frozen: number[] }>("POST", "/distributions", { scene, population: chosen, place });
      onCommit({ ...step, frozen: answer.frozen }, "Freeze the distribution");
    } catch (error) {
      useStore.setState({ saving: "refused", saveSentence: (error as Error).message });
    }
  }
  return (
    <div className="mt-1 flex items-center gap-2.5">
      <Button aria-pressed={frozen} strong={frozen} onClick={() => (frozen ? onCommit({ ...step, frozen: [] }, "Thaw the distribution") : void freeze())}>
        <Snowflake size={13} aria-hidden />
        {frozen ? "Frozen" : "Freeze"}
      </Button>
      <span className="text-[11px] text-soft">
        {frozen ? "Measured by the distribution it was frozen with." : "Freeze it, and values stay when elements come and go."}
      </span>
    </div>
  );
}
