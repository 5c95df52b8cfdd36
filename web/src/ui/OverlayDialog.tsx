import { Dialog } from "radix-ui";
import type { ReactNode } from "react";

export interface OverlayProps {
  title: string;
  open: boolean;
  onClose: () => void;
  children: ReactNode;
}

/** A dialog over the screen; Escape and the dark around it close it. */
export function OverlayDialog({ title, open, onClose, children }: OverlayProps) {
  return (
    <Dialog.Root open={open} onOpenChange={(next) => !next && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-[#0008]" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-[12vh] left-1/2 z-50 flex max-h-[80vh] w-[min(34rem,calc(100vw-2rem))] -translate-x-1/2 flex-col gap-3 overflow-auto rounded-xl border border-rule bg-sheet p-5 shadow-2xl"
        >
          <Dialog.Title className="font-head text-[1.25rem] font-[650]">{title}</Dialog.Title>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
