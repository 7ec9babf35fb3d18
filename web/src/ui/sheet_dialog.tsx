import { Dialog } from "radix-ui";
import type { ReactNode } from "react";
import { useFocusReturn } from "./focus";

interface Props {
  title: string;
  /** A sentence beside the title. */
  about: ReactNode;
  children: ReactNode;
  foot: ReactNode;
  onClose: () => void;
  wide?: boolean;
}

/** A sheet laid over the place: title, what is decided, and what to do with it. */
export function SheetDialog({ title, about, children, foot, onClose, wide = true }: Props) {
  const focus = useFocusReturn();
  return (
    <Dialog.Root open onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-black/35" />
        <Dialog.Content
          aria-describedby={undefined}
          {...focus}
          onKeyDown={(e) => e.stopPropagation()}
          className={`fixed left-1/2 top-1/2 z-30 flex max-h-[92vh] -translate-x-1/2 -translate-y-1/2 flex-col border border-ink bg-sheet shadow-xl ${wide ? "h-[92vh] w-[min(1180px,96vw)]" : "w-[560px]"}`}
        >
          <header className="flex items-baseline gap-4 border-b border-ink px-5 py-3">
            <Dialog.Title className="shrink-0 font-slab text-xl font-semibold">{title}</Dialog.Title>
            <span className="min-w-0 truncate text-ink2">{about}</span>
          </header>
          {children}
          <footer className="flex items-center gap-2 border-t border-ink bg-paper px-5 py-2.5">{foot}</footer>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
