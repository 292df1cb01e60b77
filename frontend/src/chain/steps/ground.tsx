import type { PopulationDocument } from "../../api/client";
import { useStore } from "../../state/store";
import { Choice } from "../../widgets/Choice";
import { ReadingChoice } from "../Reading";
import { page } from "./page";

/** The population that particles left: that of the first source that is one. */
function leftOf(maker: PopulationDocument["maker"] | undefined): string | null {
  return maker?.maker === "emission" ? (maker.sources.find((s) => s.out_of === "population")?.on ?? null) : null;
}

export default page("ground", {
  // A mask wants a number: one that was painted or came along, else one that every mesh has.
  first: ({ mask, below = [] }) => {
    if (!mask) return {};
    const number = below.findLast((a) => a.kind === "number" && !a.derived);
    return number ? { of: "attribute" as const, name: number.name } : { of: "channel" as const, name: "roughness" };
  },
  summary: (step) => `${step.of === "channel" ? "the" : step.of} ${step.name.replaceAll("_", " ")} below`,
  Editor: function GroundEditor({ step, onCommit }) {
    const born = useStore((s) => s.geometry[s.chosen]?.header.kind === "particles");
    const left = useStore((s) => leftOf(s.scene?.populations.find((p) => p.id === s.chosen)?.maker));
    return (
      <>
        <ReadingChoice title="Read" of={left} value={{ of: step.of, name: step.name }} onCommit={(read, label) => read && onCommit({ ...step, ...read }, label)} />
        {born && (
          <Choice
            label="As it is"
            value={step.when}
            options={[
              { value: "now", label: "As it is now" },
              { value: "birth", label: "As it was at birth" },
            ]}
            onChange={(when) => onCommit({ ...step, when: when as typeof step.when }, when === "now" ? "Read it as it is now" : "Read it as it was at birth")}
          />
        )}
      </>
    );
  },
});
