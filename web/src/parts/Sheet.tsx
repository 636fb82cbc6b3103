/** A dialog laid over the place; Escape closes it and focus returns. */
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import type { ReactNode } from "react";
import { Button } from "./Button";

interface Props {
  title: string;
  open: boolean;
  onClose: () => void;
  children: ReactNode;
  /** Between the usual and the wide one. */
  middle?: boolean;
  wide?: boolean;
  /** Nearly the whole window, for what is read beside what sets it. */
  widest?: boolean;
  /** Nothing in it can be pressed, so that it is scrolled by keys itself. */
  readOnly?: boolean;
}

export function Sheet({
  title,
  open,
  onClose,
  children,
  middle,
  wide = false,
  widest = false,
  readOnly,
}: Props) {
  return (
    <Dialog open={open} onClose={onClose} className="relative z-40 outline-none">
      <div className="fixed inset-0 bg-ink/20" aria-hidden="true" />
      <div className="fixed inset-0 flex items-start justify-center p-10">
        <DialogPanel
          className={`shadow-float flex max-h-full flex-col bg-surface ${widest ? "w-[1120px]" : wide ? "w-[820px]" : middle ? "w-[600px]" : "w-[480px]"}`}
        >
          <header className="flex items-center justify-between border-b border-hairline px-5 py-2.5">
            <DialogTitle className="text-lg font-semibold">{title}</DialogTitle>
            <Button kind="bare" onClick={onClose}>
              Close <kbd className="font-mono text-xs text-quiet">Esc</kbd>
            </Button>
          </header>
          <div className="min-h-0 overflow-y-auto px-5 py-4" tabIndex={readOnly ? 0 : undefined}>
            {children}
          </div>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
