import { isTyped } from "../../ui/typing";
import { useKeys } from "../../ui/use_keys";
import { stepOf } from "./selection";
import type { Deeds } from "./sheet_actions";

export interface SheetKeys {
  /** A dialog or sheet has the keyboard. */
  busy: boolean;
  grid: React.RefObject<HTMLElement | null>;
  columns: number;
  /** Whole rows of a screen. */
  rows: number;
  deeds: Deeds;
  labels: readonly { name: string }[];
  chosen: number;
  copy: () => void;
  paste: () => void;
  stars: (count: number) => void;
  /** Goes to the frame some places further; ``extend`` keeps what is chosen. */
  move: (step: number, extend: boolean) => void;
  /** Moves the chosen frames one place in an order by hand. */
  shift: (step: 1 | -1) => void;
  /** Opens or folds the set one stands on; false when there is none. */
  fold: () => boolean;
  clear: () => void;
}

const MARKS = { k: "keep", m: "maybe", d: "drop" } as const;

/** The sheet's keys, wherever the keyboard is; what moves and opens belongs to the frames alone. */
export function useSheetKeys(keys: SheetKeys): void {
  const onKey = (e: KeyboardEvent) => {
    const { deeds, columns } = keys;
    const on = e.target as Element | null;
    if (keys.busy || isTyped(e) || on?.closest?.("[role=menu], [role=dialog]")) return;
    // on a button Enter presses it
    const inGrid = on === document.body || Boolean(keys.grid.current?.contains(on));
    const key = e.key.toLowerCase();
    const commands: Record<string, () => void> = {
      a: deeds.selectAll,
      z: deeds.undoStep,
      c: keys.copy,
      v: keys.paste,
    };
    if (e.ctrlKey || e.metaKey) {
      if (!commands[key] || e.shiftKey) return;
      commands[key]();
    } else if (e.altKey) {
      if (!inGrid || (e.key !== "ArrowLeft" && e.key !== "ArrowRight")) return;
      keys.shift(e.key === "ArrowLeft" ? -1 : 1);
    } else {
      const step = stepOf(e.key, columns, keys.rows);
      const label = /^[6-9]$/.test(key) ? keys.labels[Number(key) - 6] : undefined;
      if (key in MARKS) deeds.mark(MARKS[key as keyof typeof MARKS]);
      else if (label) deeds.label(label.name);
      else if (/^[0-5]$/.test(key)) keys.stars(Number(key));
      else if (key === "c") deeds.carry();
      else if (key === "s" && keys.chosen > 1 && keys.chosen <= 8) deeds.sideBySide();
      else if (key === "f2") deeds.rename();
      else if (!inGrid) return;
      else if (step) keys.move(step, e.shiftKey);
      else if (key === " " && keys.fold()) void 0;
      else if (e.key === "Enter") deeds.open();
      else if (e.key === "Escape") keys.clear();
      else if (e.key === "Delete") deeds.remove();
      else return;
    }
    e.preventDefault();
  };
  useKeys(onKey);
}
