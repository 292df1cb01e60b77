/** The chain: the channels' lanes, the layers of one, and the chosen layer's steps as slabs on one shared axis. */
import { Fragment, useMemo } from "react";
import type { Advisory, Step } from "../api/client";
import { chainAt, type LookInScene, placeOf } from "../state/edits";
import { useKeys } from "../state/keys";
import { about, type Remark, remarksOf } from "../state/remarks";
import { NothingYet } from "../rooms/NothingYet";
import { chosenLook, chosenPopulation, NONE, useStore } from "../state/store";
import { AddStep } from "./AddStep";
import { ChainHead } from "./ChainHead";
import { FlowLines } from "./FlowLines";
import { LaneHead } from "./LaneHead";
import { Lanes, useShownChannel } from "./Lanes";
import { Layers } from "./Layers";
import { ErrorCard, MutedRemarks, RemarkLine } from "./Remarks";
import { Slab } from "./Slab";
import { Wears } from "./Wears";

export function ChainPanel() {
  const population = useStore(chosenPopulation);
  const look = useStore(chosenLook);
  const chain = useStore((s) => s.chain);
  const advisories = useStore((s) => s.results[s.chosen]?.advisories ?? (NONE as Advisory[]));
  const error = useStore((s) => s.errors[s.chosen]);
  const channel = useShownChannel();
  const remarks = useMemo(() => (error ? [] : remarksOf(advisories, population)), [error, advisories, population]);
  if (!population || !look) return <NothingYet todo="colour" />;
  const steps = chainAt(look, chain) ?? [];
  const elsewhere = remarks.filter(({ places }) => !steps.some((_, k) => places.some((place) => about(place, chain, k))));
  return (
    <div className="flex flex-col gap-2 p-3 pt-2">
      <Wears population={population} />
      <Lanes look={look} />
      <LaneHead look={look} channel={channel} />
      <Layers look={look} />
      {error && <ErrorCard error={error} />}
      <p role="status" className="sr-only">
        {remarks.length === 0 ? "" : remarks.length === 1 ? "1 remark on this look" : `${remarks.length} remarks on this look`}
      </p>
      <RemarkLine remarks={elsewhere} look={look} words={elsewhere.length === 1 ? "remark elsewhere" : "remarks elsewhere"} />
      <ChainHead look={look} chain={chain} />
      <Steps key={chain} look={look} chain={chain} remarks={remarks} />
      <MutedRemarks look={look} />
    </div>
  );
}

function Steps({ look, chain, remarks }: { look: LookInScene; chain: string; remarks: Remark[] }) {
  const open = useStore((s) => s.step);
  const result = useStore((s) => s.results[s.chosen]);
  const broken = useStore((s) => Boolean(s.errors[s.chosen]));
  const steps = chainAt(look, chain);
  const keys = useKeys(steps ?? (NONE as Step[]), chain);
  if (!steps) return null;
  const census = broken ? undefined : result?.steps;
  const trace = result?.trace?.steps;
  const mine = (place: string) => place.startsWith(`${chain}[`);
  return (
    <div aria-label="Steps" role="group">
      {steps.map((step, k) => {
        const place = placeOf(chain, k);
        return (
          <Fragment key={keys[k]}>
            {k > 0 && <FlowLines from={census?.[placeOf(chain, k - 1)]} to={census?.[place]} />}
            <Slab
              step={step}
              chain={chain}
              index={k}
              open={k === open}
              census={census?.[place]}
              trace={trace?.find((t) => t.place === place)}
              tracedAt={trace?.findLast((t) => mine(t.place) && t.at !== undefined)?.at}
              remarks={remarks.some(({ places }) => places.some((p) => about(p, chain, k))) ? remarks.filter(({ places }) => places.some((p) => about(p, chain, k))) : (NONE as Remark[])}
            />
          </Fragment>
        );
      })}
      <AddStep chain={chain} />
    </div>
  );
}
