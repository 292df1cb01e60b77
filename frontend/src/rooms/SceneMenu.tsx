/** The scene's name: type over it, look at earlier states; open, duplicate or delete scenes, begin a new one. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { ChevronDown, Copy, FileDown, History, Plus, Trash2, Undo2 } from "lucide-react";
import type { SceneListed } from "../api/client";
import { deleteScene, duplicateScene, edit, listScenes, newScene, NONE, openScene, restoreScene, useStore } from "../state/store";
import { Button } from "../widgets/Button";
import { NameField } from "../widgets/NameField";
import { openStates } from "./EarlierStates";
import { saveScene } from "./publish/save";

export function SceneMenu() {
  const name = useStore((s) => s.scene?.name ?? "");
  const here = useStore((s) => s.sceneId);
  const scenes = useStore((s) => s.scenes);
  const removed = useStore((s) => s.removedScenes ?? (NONE as SceneListed[]));
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
      <PopoverPanel anchor={{ to: "bottom start", gap: 6, padding: 8 }} className="panel z-40 w-72 p-2.5 shadow-xl outline-none">
        {({ close }) => (
          <>
            <NameField label="Name of the scene" name={name} onRename={async (wanted) => edit("Name the scene", (scene) => ({ ...scene, name: wanted.slice(0, 100) }))} />
            <div className="mt-2 grid grid-cols-2 gap-1.5">
              <Button
                className="col-span-2"
                onClick={() => {
                  close();
                  void openStates();
                }}
              >
                <History size={13} aria-hidden />
                Earlier states…
              </Button>
              <Button
                className="col-span-2"
                title="For the command line: colour --scene FILE"
                onClick={() => {
                  close();
                  saveScene();
                }}
              >
                <FileDown size={13} aria-hidden />
                Save the scene’s document
              </Button>
              <Button onClick={() => void duplicateScene()}>
                <Copy size={13} aria-hidden />
                Duplicate
              </Button>
              <Button aria-label="Delete this scene" onClick={() => void deleteScene()}>
                <Trash2 size={13} aria-hidden />
                Delete
              </Button>
            </div>
            <h3 className="heading mt-3 mb-1">Scenes</h3>
            <ul aria-label="Scenes" className="max-h-56 overflow-y-auto">
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
            {removed.length > 0 && (
              <>
                <h3 className="heading mt-3 mb-1">Deleted</h3>
                <ul aria-label="Deleted scenes" className="max-h-32 overflow-y-auto">
                  {removed.map((scene) => (
                    <li key={scene.id}>
                      <button type="button" className="menu-item" aria-label={`Put ${scene.name} back`} onClick={() => void restoreScene(scene.id)}>
                        <Undo2 size={12} className="flex-none" aria-hidden />
                        <span className="truncate">{scene.name}</span>
                      </button>
                    </li>
                  ))}
                </ul>
              </>
            )}
          </>
        )}
      </PopoverPanel>
    </Popover>
  );
}
