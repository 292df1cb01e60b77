/** The dials of the scene: named values that parameters follow. */
import { Diamond, Hash, Palette, ToggleLeft, Trash2 } from "lucide-react";
import { type Dial, json, type Scene } from "../api/client";
import { addDial } from "../state/actions";
import { dialNow, draft, edit, NONE, useStore, withKey } from "../state/store";
import { IconButton } from "../widgets/Button";
import { Choice } from "../widgets/Choice";
import { ColourField } from "../widgets/ColourField";
import { NameField } from "../widgets/NameField";
import { NumberField } from "../widgets/NumberField";
import { Section } from "../widgets/Section";
import { Toggle } from "../widgets/Toggle";
import { Keys } from "./Keys";

function withDial(scene: Scene, index: number, to: Partial<Dial>): Scene {
  return { ...scene, dials: scene.dials.map((d, k) => (k === index ? { ...d, ...to } : d)) };
}

async function rename(old: string, wanted: string) {
  const { scene } = useStore.getState();
  const answer = await json<{ scene: Scene }>("POST", "/dial-names", { scene, old, new: wanted });
  edit(`Rename ${old} to ${wanted}`, () => answer.scene);
}

interface TurnProps {
  dial: Dial;
  onDraft: (value: Dial["value"]) => void;
  onCommit: (value: Dial["value"]) => void;
}

/** A dial's value: a colour, on or off, one of its choices, or a number. */
function Turn({ dial, onDraft, onCommit }: TurnProps) {
  const { name, value, choices } = dial;
  if (typeof value === "string") return <ColourField label={name} bare value={value} onDraft={onDraft} onCommit={onCommit} />;
  if (typeof value === "boolean") return <Toggle label={name} bare on={value} onChange={onCommit} />;
  if (choices.length > 0) {
    const options = choices.map((label, k) => ({ value: String(k), label }));
    return <Choice label={name} plain value={String(value)} options={options} onChange={(k) => onCommit(Number(k))} />;
  }
  return <NumberField label={name} hideLabel value={value} width="w-[60px]" onDraft={onDraft} onCommit={onCommit} />;
}

/** A dial's value at the present frame, with a key there or not. */
function Turned({ dial, index }: { dial: Dial; index: number }) {
  const frame = useStore((s) => s.frame);
  const now = useStore((s) => dialNow(s, dial));
  const keyed = dial.keys.some((key) => key.frame === frame);
  const keyable = dial.choices.length === 0 && typeof dial.value !== "boolean";
  const to = (value: Dial["value"]): Partial<Dial> => (dial.keys.length > 0 && typeof value !== "boolean" ? withKey(dial, frame, value) : { value });
  const key = () =>
    edit(keyed ? `Remove the key of ${dial.name}` : `Key ${dial.name}`, (scene) =>
      withDial(scene, index, keyed ? { value: now, keys: dial.keys.filter((k) => k.frame !== frame) } : withKey(dial, frame, now as number | string)),
    );
  return (
    <>
      <Turn dial={{ ...dial, value: now }} onDraft={(value) => draft((scene) => withDial(scene, index, to(value)))} onCommit={(value) => edit(`Turn ${dial.name}`, (scene) => withDial(scene, index, to(value)))} />
      {keyable && (
        <IconButton label={keyed ? `Remove the key of ${dial.name} at this frame` : `Key ${dial.name} at this frame`} aria-pressed={keyed} onClick={key}>
          <Diamond size={12} fill={keyed ? "currentColor" : "none"} />
        </IconButton>
      )}
    </>
  );
}

export function Dials() {
  const dials = useStore((s) => s.scene?.dials ?? (NONE as Dial[]));
  return (
    <Section
      name="Dials"
      count={dials.length}
      actions={
        <>
          <IconButton label="Add a number dial" title="A number dial: one value for the scene that parameters can follow" onClick={() => addDial(0.5)}>
            <Hash size={13} />
          </IconButton>
          <IconButton label="Add a colour dial" onClick={() => addDial("#c8553d")}>
            <Palette size={13} />
          </IconButton>
          <IconButton label="Add an on and off dial" onClick={() => addDial(true, "switch")}>
            <ToggleLeft size={14} />
          </IconButton>
        </>
      }
    >
      <ul>
        {dials.map((dial, k) => (
          <li key={dial.name} className="mt-1 flex flex-wrap items-center gap-1.5 px-1.5">
            <NameField label={`Name of the dial ${dial.name}`} name={dial.name} className="quiet basis-8" onRename={(wanted) => rename(dial.name, wanted)} />
            <Turned dial={dial} index={k} />
            <IconButton
              label={`Remove the dial ${dial.name}`}
              onClick={() => edit(`Remove the dial ${dial.name}`, (scene) => ({ ...scene, dials: scene.dials.filter((_, i) => i !== k) }))}
            >
              <Trash2 size={12} />
            </IconButton>
            <Keys of={dial.name} keys={dial.keys} onChange={(keys, label) => edit(label, (scene) => withDial(scene, k, { keys: keys as Dial["keys"] }))} />
          </li>
        ))}
      </ul>
    </Section>
  );
}
