import { Choice } from "../../widgets/Choice";
import { type Of, page } from "./page";

type AsColour = Of<"as_colour">;
const TARGETS = ["red", "green", "blue"] as const;
const AXES = (["x", "y", "z", "w"] as const).map((value) => ({ value, label: value.toUpperCase() }));
const FROM = [
  { value: "signed", label: "−1 to 1" },
  { value: "unit", label: "0 to 1" },
] as const;
const capital = (word: string) => word.charAt(0).toUpperCase() + word.slice(1);

export default page("as_colour", {
  summary: (step) => `red ${step.red}, green ${step.green}, blue ${step.blue}`,
  Editor: ({ step, onCommit }) => (
    <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
      {TARGETS.map((target) => (
        <span key={target} className="inline-flex items-center gap-1 whitespace-nowrap text-soft">
          {capital(target)}
          <span className="text-ink">
            <Choice label={capital(target)} plain value={step[target]} options={AXES} onChange={(axis) => onCommit({ ...step, [target]: axis }, `Take ${axis} for ${target}`)} />
            <Choice
              label={`${capital(target)} from`}
              plain
              value={step[`${target}_from`]}
              options={[...FROM]}
              onChange={(from) => onCommit({ ...step, [`${target}_from`]: from }, `Change the range of ${target}`)}
            />
          </span>
        </span>
      ))}
      <span className="inline-flex items-center gap-1 whitespace-nowrap text-soft">
        Numbers are
        <span className="text-ink">
          <Choice
            label="Numbers are"
            plain
            value={step.levels}
            options={[
              { value: "display", label: "Display levels" },
              { value: "linear", label: "Linear light" },
            ]}
            onChange={(levels: AsColour["levels"]) => onCommit({ ...step, levels }, "Change what the numbers are")}
          />
        </span>
      </span>
    </div>
  ),
});
