/** The markers of the scene: named points, typed, dragged in the view, and keyed. */
import { Diamond, MapPin, Trash2 } from "lucide-react";
import { json, type Marker, type Scene, type Three } from "../api/client";
import { draft, edit, markerNow, movedMarker, NONE, useStore, withKey, withMarker } from "../state/store";
import { IconButton } from "../widgets/Button";
import { NameField } from "../widgets/NameField";
import { NumberField } from "../widgets/NumberField";
import { Section } from "../widgets/Section";
import { Keys } from "./Keys";

async function rename(old: string, wanted: string) {
  const { scene } = useStore.getState();
  const answer = await json<{ scene: Scene }>("POST", "/marker-names", { scene, old, new: wanted });
  edit(`Rename ${old} to ${wanted}`, () => answer.scene);
}

export function Markers() {
  const markers = useStore((s) => s.scene?.markers ?? (NONE as Marker[]));
  const placing = useStore((s) => s.tool?.kind === "marker");
  return (
    <Section
      name="Markers"
      label="Markers list"
      count={markers.length}
      actions={
        <IconButton label="Put a marker in the view" title="Put a marker in the view: a named point that falloffs go along with" aria-pressed={placing} onClick={() => useStore.setState({ tool: placing ? null : { kind: "marker" } })}>
          <MapPin size={13} />
        </IconButton>
      }
    >
      <ul>
        {markers.map((marker) => (
          <Row key={marker.name} marker={marker} />
        ))}
      </ul>
    </Section>
  );
}

function Row({ marker }: { marker: Marker }) {
  const { name } = marker;
  const frame = useStore((s) => s.frame);
  const now = JSON.parse(useStore((s) => JSON.stringify(markerNow(s, marker)))) as Three;
  const keyed = marker.keys.some((key) => key.frame === frame);
  const changed = (k: number, to: number) => now.map((v, i) => (i === k ? to : v)) as Three;
  const put = (to: Three) => draft((scene) => withMarker(scene, name, (m) => movedMarker(m, to)));
  const key = () =>
    edit(keyed ? `Remove the key of ${name}` : `Key ${name}`, (scene) =>
      withMarker(scene, name, (m) => (keyed ? { ...m, position: now, keys: m.keys.filter((k) => k.frame !== frame) } : withKey(m, frame, now))),
    );
  return (
    <li className="mt-1 px-1.5">
      <div className="flex items-center gap-1">
        <NameField label={`Name of the marker ${name}`} name={name} className="quiet min-w-0 grow basis-8" onRename={(wanted) => rename(name, wanted)} />
        <IconButton label={keyed ? `Remove the key of ${name} at this frame` : `Key ${name} at this frame`} aria-pressed={keyed} onClick={key}>
          <Diamond size={12} fill={keyed ? "currentColor" : "none"} />
        </IconButton>
        <IconButton label={`Remove the marker ${name}`} onClick={() => edit(`Remove the marker ${name}`, (scene) => ({ ...scene, markers: scene.markers.filter((m) => m.name !== name) }))}>
          <Trash2 size={12} />
        </IconButton>
      </div>
      <div className="flex gap-1">
        {(["x", "y", "z"] as const).map((axis, k) => (
          <NumberField key={axis} label={`${name}, ${axis}`} hideLabel value={now[k]!} width="w-[56px]" onDraft={(v) => put(changed(k, v))} onCommit={(v) => edit(`Move ${name}`, (scene) => withMarker(scene, name, (m) => movedMarker(m, changed(k, v))))} />
        ))}
      </div>
      <Keys of={name} keys={marker.keys} onChange={(keys, label) => edit(label, (scene) => withMarker(scene, name, (m) => ({ ...m, keys: keys as Marker["keys"] })))} />
    </li>
  );
}
