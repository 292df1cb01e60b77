import { useStore } from "../../state/store";
import { Choice } from "../../widgets/Choice";
import { ReadingChoice } from "../Reading";
import { page } from "./page";

export default page("particle", {
  summary: (step) => `${step.of === "channel" ? "the" : step.of} ${step.name.replaceAll("_", " ")} of the particle, ${step.when}`,
  Editor: function ParticleEditor({ step, onCommit }) {
    const on = useStore((s) => {
      const maker = s.scene?.populations.find((p) => p.id === s.chosen)?.maker;
      return maker?.maker === "trails" ? maker.on : null;
    });
    return (
      <>
        <ReadingChoice title="Read" of={on} value={{ of: step.of, name: step.name }} onCommit={(read, label) => read && onCommit({ ...step, ...read }, label)} />
        <Choice
          label="As it was"
          value={step.when}
          options={[
            { value: "then", label: "Then, at each point" },
            { value: "now", label: "Now" },
          ]}
          onChange={(when) => onCommit({ ...step, when: when as typeof step.when }, `Read it as it ${when === "now" ? "is now" : "was then"}`)}
        />
      </>
    );
  },
});
