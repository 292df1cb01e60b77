import { isFollowing } from "../../state/follow";
import { DriftEditor } from "../DriftEditor";
import { page } from "./page";
import { interval, short } from "./words";

export default page("drift", {
  summary: (step) => {
    const parts = [
      interval("hue", step.hue, "°"),
      interval("sat", step.saturation),
      interval("light", step.lightness),
      interval("gamma", step.gamma),
      interval("value", step.value),
    ].filter(Boolean);
    const { chance } = step;
    const some = isFollowing(chance) ? `, chance ${short(chance)}` : chance < 1 ? `, ${short(chance * 100)}% of elements` : "";
    return (parts.join(" · ") || "nothing yet") + some + (step.per === "element" ? "" : `, per ${step.per}`);
  },
  first: ({ incoming }) => (incoming === "number" ? { value: [-0.1, 0.1] } : { hue: [-12, 12], lightness: [-0.06, 0.06] }),
  Mark: ({ step, open }) =>
    open || isFollowing(step.seed) ? null : <span className="tabular flex-none text-[11px] whitespace-nowrap text-soft">seed {step.seed}</span>,
  Editor: ({ step, census, schema, onDraft, onCommit }) => (
    <DriftEditor
      drift={step}
      census={census}
      schema={schema}
      onDraft={(s) => onDraft(s as typeof step)}
      onCommit={(s, label) => onCommit(s as typeof step, label)}
    />
  ),
});
