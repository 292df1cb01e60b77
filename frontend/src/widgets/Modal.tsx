/** A dialogue in the middle of the window, over a darkened page. */
import { Dialog, DialogBackdrop, DialogPanel } from "@headlessui/react";

interface Props {
  open: boolean;
  onClose: () => void;
  /** Its width and the space around what it holds. */
  className: string;
  children: React.ReactNode;
}

export function Modal({ open, onClose, className, children }: Props) {
  return (
    <Dialog open={open} onClose={onClose} className="relative z-50">
      <DialogBackdrop className="fixed inset-0 bg-black/35" />
      <div className="fixed inset-0 grid place-items-center p-6">
        <DialogPanel className={`panel flex max-h-full flex-col gap-3 shadow-2xl ${className}`}>{children}</DialogPanel>
      </div>
    </Dialog>
  );
}
