/** What the last edit cost: for those who look for it. */
import { DialogTitle } from "@headlessui/react";
import { create } from "zustand";
import { chosenPopulation, NONE, useStore } from "../state/store";
import { Button } from "../widgets/Button";
import { Modal } from "../widgets/Modal";

const useCosts = create<{ open: boolean }>(() => ({ open: false }));

export const openCosts = () => useCosts.setState({ open: true });

export function EditCosts() {
  const open = useCosts((s) => s.open);
  const name = useStore((s) => chosenPopulation(s)?.name ?? "");
  const result = useStore((s) => s.results[s.chosen]);
  const close = () => useCosts.setState({ open: false });
  const computed = result?.computed ?? (NONE as string[]);
  const sent = result?.sent ?? (NONE as string[]);
  return (
    <Modal open={open} onClose={close} className="w-[480px] p-4">
      <DialogTitle className="text-[15px] font-semibold">What the last edit cost</DialogTitle>
      <dl className="grid grid-cols-[auto_1fr] gap-x-4 gap-y-1.5 tabular">
        <dt className="text-soft">Population</dt>
        <dd>{name}</dd>
        <dt className="text-soft">Steps worked out anew</dt>
        <dd>
          {computed.length} of {computed.length + (result?.reused ?? 0)}
        </dd>
        <dt className="text-soft">Lanes sent to the page</dt>
        <dd>{sent.length === 0 ? "none" : sent.join(", ").replaceAll("_", " ")}</dd>
      </dl>
      {computed.length > 0 && (
        <ul className="max-h-60 min-h-0 overflow-y-auto rounded-md bg-well p-2 text-[11.5px]" aria-label="Steps worked out anew">
          {computed.map((place) => (
            <li key={place}>{place}</li>
          ))}
        </ul>
      )}
      <Button className="self-end" onClick={close}>
        Close
      </Button>
    </Modal>
  );
}
