import { Redo2, Undo2 } from "lucide-react";
import { Button, Hint } from "./controls";

/** One step back and forward; null where there is none. */
export function UndoButtons({ undo, redo }: { undo: (() => void) | null; redo: (() => void) | null }) {
  return (
    <>
      <Hint text="Undo (Ctrl+Z)">
        <Button disabled={!undo} onClick={() => undo?.()} aria-label="Undo">
          <Undo2 size={15} aria-hidden />
        </Button>
      </Hint>
      <Hint text="Redo (Ctrl+Shift+Z)">
        <Button disabled={!redo} onClick={() => redo?.()} aria-label="Redo">
          <Redo2 size={15} aria-hidden />
        </Button>
      </Hint>
    </>
  );
}
