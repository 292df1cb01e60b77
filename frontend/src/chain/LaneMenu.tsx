/** Adds a layer to a lane; what else is done with the lane, with the look and with its remarks. */
import { ClipboardPaste, Copy, LibraryBig, Plus, Shirt, TriangleAlert } from "lucide-react";
import type { StepCensus } from "../api/client";
import { addLayer, copyLook, layerLibrary, lookLibrary, pasteLayer, pasteLook } from "../state/actions";
import { laneStack } from "../state/edits";
import { chosenPopulation, useStore } from "../state/store";
import { ActionMenu } from "../widgets/ActionMenu";
import { IconButton } from "../widgets/Button";
import { openMuted } from "./Remarks";
import { makeOwn, shareLook } from "./Wears";

export function LaneMenu({ channel }: { channel: string }) {
  const described = useStore((s) => s.channels.find((c) => c.name === channel));
  const id = useStore((s) => s.chosen);
  const worn = useStore((s) => chosenPopulation(s)?.wears ?? null);
  const muted = useStore((s) => chosenPopulation(s)?.muted.length ?? 0);
  const stack = laneStack(channel);
  const kind = (described?.kind ?? "colour") as StepCensus["kind"];
  const items = [
    { label: "Paste a layer", icon: ClipboardPaste, run: () => pasteLayer(stack) },
    { label: "Layers in the library…", icon: LibraryBig, run: layerLibrary },
    { label: "Copy the whole look", icon: Copy, run: copyLook },
    { label: "Paste a whole look", icon: ClipboardPaste, run: pasteLook },
    { label: "Looks in the library…", icon: LibraryBig, run: lookLibrary },
    worn === null
      ? { label: "Share this look with others", icon: Shirt, run: () => shareLook(id) }
      : { label: "Make the look its own", icon: Shirt, run: () => makeOwn(id) },
    { label: muted === 0 ? "No remarks left as they are" : `Remarks left as they are (${muted})…`, icon: TriangleAlert, disabled: muted === 0, run: () => openMuted(true) },
  ];
  return (
    <span className="flex flex-none">
      <IconButton label="Add a layer" onClick={() => addLayer(stack, kind)}>
        <Plus size={15} />
      </IconButton>
      <ActionMenu dots label="More for layers and looks" items={items} />
    </span>
  );
}
