/** Cameras: what the scene is looked at from, kept by name, and the lens of the view. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { Pencil, RefreshCw, Trash2, Video } from "lucide-react";
import { useState } from "react";
import type { Camera } from "../api/client";
import { free } from "../state/edits";
import { edit, useStore } from "../state/store";
import { Button, IconButton } from "../widgets/Button";
import { NumberField } from "../widgets/NumberField";
import { Renaming } from "../widgets/Renaming";
import { view } from "./current";
import { leave } from "./left";

const PLAIN = { focus: null, f_number: null, shutter: 0.5 };
const NONE: Camera[] = [];

const change = (label: string, of: (cameras: Camera[]) => Camera[]) => edit(label, (scene) => ({ ...scene, cameras: of(scene.cameras) }));

/** Keep what the view looks from now under a name of its own. */
export function keepCamera() {
  const { scene } = useStore.getState();
  const seen = view.stage?.view.seen;
  if (!scene || !seen) return;
  const name = free("Camera", scene.cameras.map((c) => c.name), " ");
  change(`Keep ${name}`, (cameras) => [...cameras, { name, ...seen, ...PLAIN }]);
}

/** Look from where a camera stands. */
export function lookThrough(camera: Camera) {
  view.stage?.view.look(camera);
  leave(camera);
}

function Row({ camera }: { camera: Camera }) {
  const [naming, setNaming] = useState(false);
  const { name } = camera;
  const renamed = (to: string | null) => {
    setNaming(false);
    if (to) change(`Rename ${name}`, (cameras) => cameras.map((c) => (c.name === name ? { ...c, name: free(to, cameras.filter((o) => o.name !== name).map((o) => o.name), " ") } : c)));
  };
  const replace = () => {
    const seen = view.stage?.view.seen;
    if (seen) change(`Move ${name}`, (cameras) => cameras.map((c) => (c.name === name ? { ...c, ...seen } : c)));
  };
  return (
    <li className="flex items-center gap-0.5">
      {naming ? (
        <Renaming label={`Name of ${name}`} name={name} className="min-w-0 grow" onDone={renamed} />
      ) : (
        <button type="button" className="menu-item min-w-0 grow" onClick={() => lookThrough(camera)}>
          <span className="truncate">{name}</span>
        </button>
      )}
      <IconButton label={`Rename ${name}`} onClick={() => setNaming(true)}>
        <Pencil size={13} />
      </IconButton>
      <IconButton label={`Move ${name} to what is seen now`} onClick={replace}>
        <RefreshCw size={13} />
      </IconButton>
      <IconButton label={`Remove ${name}`} onClick={() => change(`Remove ${name}`, (cameras) => cameras.filter((c) => c.name !== name))}>
        <Trash2 size={13} />
      </IconButton>
    </li>
  );
}

/** The lens of the view, which moves the camera so that what it looks at stays as large. */
function Lens() {
  const [angle, setAngle] = useState(() => view.stage?.view.seen.angle ?? 27);
  const take = (to: number) => {
    setAngle(to);
    view.stage?.view.setAngle(to);
    leave(view.stage?.view.seen ?? null);
  };
  return <NumberField label="Lens angle" unit="°" min={5} max={120} step={1} digits={1} value={angle} onDraft={take} onCommit={take} />;
}

export function Cameras() {
  const cameras = useStore((s) => s.scene?.cameras ?? NONE);
  return (
    <Popover className="contents">
      <PopoverButton aria-label="Cameras" title="Cameras" className="icon-button bg-panel">
        <Video size={14} />
      </PopoverButton>
      <PopoverPanel anchor={{ to: "bottom start", gap: 6 }} className="panel z-40 flex w-64 flex-col gap-2 p-3 shadow-xl outline-none">
        <Lens />
        {cameras.length > 0 && (
          <ul aria-label="Cameras" className="-mx-1 flex flex-col">
            {cameras.map((camera) => (
              <Row key={camera.name} camera={camera} />
            ))}
          </ul>
        )}
        <Button onClick={keepCamera}>
          <Video size={13} aria-hidden />
          Keep what is seen now
        </Button>
      </PopoverPanel>
    </Popover>
  );
}
