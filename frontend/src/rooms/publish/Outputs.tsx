/** Signals that go out with files under names of their own, beside the channels or in place of what came in. */
import { Plus, Trash2 } from "lucide-react";
import type { Output } from "../../api/client";
import { free } from "../../state/edits";
import { chosenLook, editLook, useStore } from "../../state/store";
import { Button, IconButton } from "../../widgets/Button";
import { Choice } from "../../widgets/Choice";
import { NameField } from "../../widgets/NameField";
import { Toggle } from "../../widgets/Toggle";

const NAME = /^[A-Za-z_][A-Za-z0-9_]*$/;
const plain = (name: string) => name.replaceAll(/[^A-Za-z0-9_]+/g, "_").replace(/^(?=[0-9])/, "_") || "value";

export function Outputs() {
  const look = useStore(chosenLook);
  if (!look) return null;
  const names = [...new Set([...look.signals, ...look.scene.signals].map((s) => s.name))];
  const { outputs } = look;
  const set = (label: string, to: Output[]) => editLook(label, (l) => ({ ...l, outputs: to }));
  const change = (k: number, label: string, to: Partial<Output>) => set(label, outputs.map((o, i) => (i === k ? { ...o, ...to } : o)));

  async function rename(k: number, name: string) {
    if (!NAME.test(name)) throw new Error("Letters, digits and underscores, not beginning with a digit, so that every format takes it.");
    if (outputs.some((o, i) => i !== k && o.name === name)) throw new Error(`Another output is called ${name}.`);
    change(k, `Send as ${name}`, { name });
  }

  return (
    <section aria-label="Outputs of your own">
      <div className="mt-2 mb-1 flex items-center">
        <h2 className="heading grow">Outputs of your own</h2>
        <Button
          disabled={names.length === 0}
          title={names.length === 0 ? "Make a signal first: outputs send signals" : undefined}
          onClick={() => set("Add an output", [...outputs, { signal: names[0]!, name: free(plain(names[0]!), outputs.map((o) => o.name), "_"), enabled: true }])}
        >
          <Plus size={13} aria-hidden />
          Add an output
        </Button>
      </div>
      {outputs.length === 0 ? (
        <p className="text-soft">Any signal can go out as a column, attribute or primvar, also in place of one that came in.</p>
      ) : (
        <ul className="flex flex-col gap-1">
          {outputs.map((output, k) => (
            <li key={k} className={`panel flex h-8 items-center gap-2 px-2 ${output.enabled ? "" : "border-dashed"}`}>
              <Toggle bare label={`Send ${output.name}`} on={output.enabled} onChange={(enabled) => change(k, "Switch an output", { enabled })} />
              <Choice label="Signal" plain value={output.signal} options={[...new Set([...names, output.signal])].map((name) => ({ value: name, label: name }))} onChange={(signal) => change(k, `Send ${signal}`, { signal })} />
              <span className="text-soft">as</span>
              <NameField label={`Name of the output ${output.name}`} name={output.name} className="min-w-0 grow" onRename={(name) => rename(k, name)} />
              <IconButton label={`Remove the output ${output.name}`} onClick={() => set("Remove an output", outputs.filter((_, i) => i !== k))}>
                <Trash2 size={12} />
              </IconButton>
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}
