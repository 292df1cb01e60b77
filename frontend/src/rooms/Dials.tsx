/** The dials of the scene: named values that parameters follow. */
import { Plus, Trash2 } from "lucide-react";
import { type Dial, json, type Scene } from "../api/client";
import { addDial } from "../state/actions";
import { draft, edit, NONE, useStore } from "../state/store";
import { Button, IconButton } from "../widgets/Button";
import { ColourField } from "../widgets/ColourField";
import { NameField } from "../widgets/NameField";
import { NumberField } from "../widgets/NumberField";

function withDial(scene: Scene, index: number, to: Partial<Dial>): Scene {
  return { ...scene, dials: scene.dials.map((d, k) => (k === index ? { ...d, ...to } : d)) };
}

async function rename(old: string, wanted: string) {
  const { scene } = useStore.getState();
  const answer = await json<{ scene: Scene }>("POST", "/dial-names", { scene, old, new: wanted });
  edit(`Rename ${old} to ${wanted}`, () => answer.scene);
}

export function Dials() {
  const dials = useStore((s) => s.scene?.dials ?? (NONE as Dial[]));
  return (
    <section aria-label="Dials">
      <div className="flex h-6.5 items-center justify-between">
        <h2 className="heading">Dials</h2>
        <span className="flex items-center gap-1">
          <Button aria-label="Add a number dial" onClick={() => addDial(0.5)} className="h-5.5 px-1.5 text-[11px]">
            <Plus size={11} aria-hidden />
            number
          </Button>
          <Button aria-label="Add a colour dial" onClick={() => addDial("#c8553d")} className="h-5.5 px-1.5 text-[11px]">
            <Plus size={11} aria-hidden />
            colour
          </Button>
        </span>
      </div>
      <ul>
        {dials.map((dial, k) => (
          <li key={dial.name} className="mt-1 flex flex-wrap items-center gap-1.5 px-1.5">
            <NameField label={`Name of the dial ${dial.name}`} name={dial.name} className="quiet basis-8" onRename={(wanted) => rename(dial.name, wanted)} />
            {typeof dial.value === "string" ? (
              <ColourField
                label={dial.name}
                value={dial.value}
                onDraft={(value) => draft((scene) => withDial(scene, k, { value }))}
                onCommit={(value) => edit(`Turn ${dial.name}`, (scene) => withDial(scene, k, { value }))}
              />
            ) : (
              <NumberField
                label={dial.name}
                hideLabel
                value={dial.value}
                width="w-[60px]"
                onDraft={(value) => draft((scene) => withDial(scene, k, { value }))}
                onCommit={(value) => edit(`Turn ${dial.name}`, (scene) => withDial(scene, k, { value }))}
              />
            )}
            <IconButton
              label={`Remove the dial ${dial.name}`}
              onClick={() => edit(`Remove the dial ${dial.name}`, (scene) => ({ ...scene, dials: scene.dials.filter((_, i) => i !== k) }))}
            >
              <Trash2 size={12} />
            </IconButton>
          </li>
        ))}
        {dials.length === 0 && <li className="px-1.5 py-0.5 text-[11px] text-soft">One value for the scene that parameters can follow.</li>}
      </ul>
    </section>
  );
}
