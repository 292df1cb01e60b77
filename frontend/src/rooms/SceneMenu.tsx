/** The scene's name: type over it, open another scene, begin a new one. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { ChevronDown, Plus } from "lucide-react";
import { edit, listScenes, newScene, openScene, useStore } from "../state/store";
import { Button } from "../widgets/Button";
import { NameField } from "../widgets/NameField";

export function SceneMenu() {
  const name = useStore((s) => s.scene?.name ?? "");
  const here = useStore((s) => s.sceneId);
  const scenes = useStore((s) => s.scenes);
  return (
    <Popover className="min-w-0">
      <PopoverButton
        className="flex h-7 max-w-full min-w-0 cursor-pointer items-center gap-1 rounded-md px-1.5 text-soft hover:bg-well"
        aria-label={`Scene: ${name}`}
        onClick={() => void listScenes().catch(() => undefined)}
      >
        <span className="truncate">{name}</span>
        <ChevronDown size={12} className="flex-none" aria-hidden />
      </PopoverButton>
      <PopoverPanel anchor={{ to: "bottom start", gap: 6, padding: 8 }} className="panel z-40 w-64 p-2.5 shadow-xl outline-none">
        <NameField label="Name of the scene" name={name} onRename={async (wanted) => edit("Name the scene", (scene) => ({ ...scene, name: wanted.slice(0, 100) }))} />
        <h3 className="heading mt-2.5 mb-1">Scenes</h3>
        <ul aria-label="Scenes" className="max-h-64 overflow-y-auto">
          {scenes.map((scene) => (
            <li key={scene.id}>
              <button
                type="button"
                className={`menu-item ${scene.id === here ? "font-semibold" : ""}`}
                aria-current={scene.id === here ? "true" : undefined}
                disabled={scene.id === here}
                onClick={() => void openScene(scene.id)}
              >
                <span className="truncate">{scene.id === here ? name : scene.name}</span>
              </button>
            </li>
          ))}
        </ul>
        <Button className="mt-2 w-full" onClick={() => void newScene()}>
          <Plus size={13} aria-hidden />
          New scene
        </Button>
      </PopoverPanel>
    </Popover>
  );
}
