import { useStore } from "../../state/store";

/** Save the scene's document, which the command line takes with --scene. */
export function saveScene() {
  const { scene } = useStore.getState();
  if (!scene) return;
  const stem = scene.name.replaceAll(/[^A-Za-z0-9]+/g, "-").replace(/^-|-$/g, "").toLowerCase() || "scene";
  save(new Blob([`${JSON.stringify(scene, null, 1)}\n`], { type: "application/json" }), `${stem}.scene.json`);
}

/** Hand a file over to the person. */
export function save(blob: Blob, name: string) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}
