/** What reads something that is to be removed is named beforehand, with a way to keep it working. */
import { DialogTitle } from "@headlessui/react";
import { create } from "zustand";
import { json, type RemovalAnswer } from "../api/client";
import { choosePopulation, edit, settle, tell, useStore } from "../state/store";
import { Button } from "../widgets/Button";
import { Modal } from "../widgets/Modal";

/** A population by its id; a signal of a population's look, or with `shared` of the scene, by its name. */
export type Removed = { kind: "population"; id: string } | { kind: "signal"; id: string; name: string; shared: boolean };

const useAsked = create<{ answer: RemovalAnswer | null; done: () => void }>(() => ({ answer: null, done: () => undefined }));

/** Remove something, at once where nothing reads it. */
export async function askRemoval(of: Removed, done: () => void = () => undefined) {
  try {
    const { scene } = useStore.getState();
    const answer = await json<RemovalAnswer>("POST", "/removals", { scene, ...of });
    if (answer.readers.length === 0) carryOut(answer.label, answer.scene, done);
    else useAsked.setState({ answer, done });
  } catch (error) {
    tell((error as Error).message);
  }
}

function carryOut(label: string, scene: RemovalAnswer["scene"], done: () => void) {
  edit(label, () => scene as never);
  const { chosen, scene: now } = useStore.getState();
  const left = now?.populations ?? [];
  if (!left.some((p) => p.id === chosen)) {
    useStore.setState({ chosen: "" });
    if (left[0]) choosePopulation(left[0].id);
  }
  settle();
  done();
}

export function RemovalDialog() {
  const { answer, done } = useAsked();
  const close = () => useAsked.setState({ answer: null });
  const take = (label: string, scene: RemovalAnswer["scene"]) => {
    close();
    carryOut(label, scene, done);
  };
  return (
    <Modal open={answer !== null} onClose={close} className="w-[440px] p-4">
      {answer && (
        <>
          <DialogTitle className="text-[15px] font-semibold">{answer.sentence}</DialogTitle>
          <ul className="list-disc pl-4" aria-label="What reads it">
            {answer.readers.map((reader) => (
              <li key={reader}>{reader}</li>
            ))}
          </ul>
          <div className="flex flex-wrap justify-end gap-2">
            <Button onClick={close}>Cancel</Button>
            <Button onClick={() => take(answer.label, answer.scene)}>Remove it all the same</Button>
            {answer.instead && (
              <Button strong onClick={() => take(answer.instead!.label, answer.instead!.scene)}>
                {answer.instead.label}
              </Button>
            )}
          </div>
        </>
      )}
    </Modal>
  );
}
