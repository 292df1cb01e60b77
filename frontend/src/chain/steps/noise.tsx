import { useState } from "react";
import { editStep } from "../../state/ramps";
import { parsePlace, withChain } from "../../state/edits";
import { isFollowing } from "../../state/follow";
import { editLook } from "../../state/store";
import { Button } from "../../widgets/Button";
import { StepParameters } from "../Parameters";
import { Seed } from "../Seed";
import { fresh, titleOf } from ".";
import { page } from "./page";
import { near, short } from "./words";

const MAIN = ["pattern", "size", "low", "high", "contrast", "bias", "result", "measure", "motion", "speed", "loop"];
const MORE = ["warp", "warp_size", "octaves", "gain", "lacunarity", "fold", "irregularity", "softness", "stretch", "offset", "turn", "by", "space", "linked"];
const MEASURES = { nearest: "nearest point", second: "second nearest", border: "borders", value: "a value each" } as const;

export default page("noise", {
  placed: true,
  first: ({ longest, replaced }) => ({ ...(longest > 0 ? { size: Number((longest / 6).toPrecision(2)) } : {}), ...(replaced === "colour" ? { result: "colour" as const } : {}) }),
  summary: (step, facts) => {
    const kind = step.pattern === "cells" ? `cells, ${MEASURES[step.measure]}` : step.fold === "plain" ? "patches" : step.fold;
    const size = step.size === null ? near(facts.size) : isFollowing(step.size) ? short(step.size) : near(step.size);
    return `${kind} of ${size}${facts.across === undefined ? "" : `, about ${near(Math.round(facts.across * 10) / 10)} across`}${step.motion === "still" ? "" : step.motion === "loop" ? ", looping" : ", moving"}`;
  },
  Mark: ({ step, onCommit }) =>
    isFollowing(step.seed) ? null : <Seed seed={step.seed} what={titleOf("noise")} onCommit={(seed, label) => onCommit({ ...step, seed }, label)} />,
  Editor: ({ step, census, place, index, schema, onDraft, onCommit }) => {
    const [more, setMore] = useState(false);
    const all = Object.keys((schema.properties ?? {}) as object);
    const across = census?.patches?.across.map((n) => Number(n.toPrecision(2)));
    const part = (names: string[]) => (
      <StepParameters
        step={step}
        schema={schema}
        skip={all.filter((name) => !names.includes(name))}
        fitted={{ size: census?.patches?.size ?? 1, octaves: step.pattern === "cells" ? 1 : 4 }}
        onDraft={onDraft}
        onCommit={onCommit}
      />
    );
    const even = () => {
      const at = parsePlace(place);
      if (at) editLook("Even out the noise", (look) => withChain(look, at.chain, (steps) => steps.toSpliced(index + 1, 0, fresh("even_out"))));
    };
    return (
      <div className="flex flex-col gap-2">
        {part(MAIN)}
        {across && <p className="text-[11.5px] text-soft tabular">{across.join(" × ")} patches across the population</p>}
        <span className="flex flex-wrap gap-2">
          {step.result === "number" && (
            <>
              <Button onClick={() => void editStep(place, "fit", "Stretch the noise to 0 to 1")}>Stretch to 0…1</Button>
              <Button onClick={even}>Even out</Button>
            </>
          )}
          <Button aria-expanded={more} onClick={() => setMore(!more)}>
            {more ? "Fewer settings" : "More settings"}
          </Button>
        </span>
        {more && part(MORE)}
      </div>
    );
  },
});
