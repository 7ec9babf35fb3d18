import { type PointerEvent, useEffect, useRef, useState } from "react";

const FAR_ENOUGH_PX = 6;
const EDGE_PX = 48;

/** Where frames would be let go: before a frame, or behind it. */
export interface Drop {
  id: number;
  after: boolean;
}

interface Options {
  /** Dragging moves frames only in an order by hand. */
  on: boolean;
  /** Frames that go along with the one that is taken. */
  taken: (id: number) => ReadonlySet<number>;
  drop: (frames: ReadonlySet<number>, at: Drop) => void;
  scroller: React.RefObject<HTMLElement | null>;
}

const cellAt = (x: number, y: number) => document.elementFromPoint(x, y)?.closest<HTMLElement>("[data-frame]") ?? null;

/** Takes frames with the pointer and puts them elsewhere. Esc lets go without moving; near an edge the sheet scrolls. */
export function useHandDrag({ on, taken, drop, scroller }: Options) {
  const [at, setAt] = useState<Drop | null>(null);
  const held = useRef<{ id: number; x: number; y: number; moving: boolean; to: Drop | null } | null>(null);
  const moved = useRef(false);
  const end = () => {
    held.current = null;
    setAt(null);
  };
  useEffect(() => {
    const key = (e: KeyboardEvent) => {
      if (e.key !== "Escape" || !held.current?.moving) return;
      e.stopPropagation();
      e.preventDefault();
      held.current = null;
      setAt(null);
    };
    window.addEventListener("keydown", key, true);
    return () => window.removeEventListener("keydown", key, true);
  }, []);
  const handlers = {
    onPointerDown: (e: PointerEvent) => {
      moved.current = false;
      const id = Number(cellAt(e.clientX, e.clientY)?.dataset.frame);
      if (on && e.button === 0 && id) held.current = { id, x: e.clientX, y: e.clientY, moving: false, to: null };
    },
    onPointerMove: (e: PointerEvent) => {
      const one = held.current;
      if (!one) return;
      if (!e.buttons) return end();
      if (!one.moving && Math.hypot(e.clientX - one.x, e.clientY - one.y) < FAR_ENOUGH_PX) return;
      if (!one.moving) e.currentTarget.setPointerCapture(e.pointerId);
      one.moving = true;
      const box = scroller.current?.getBoundingClientRect();
      if (box && e.clientY < box.top + EDGE_PX) scroller.current?.scrollBy(0, -24);
      if (box && e.clientY > box.bottom - EDGE_PX) scroller.current?.scrollBy(0, 24);
      const cell = cellAt(e.clientX, e.clientY);
      if (!cell) return;
      const { left, width } = cell.getBoundingClientRect();
      const to = { id: Number(cell.dataset.frame), after: e.clientX > left + width / 2 };
      if (to.id !== one.to?.id || to.after !== one.to.after) setAt(to);
      one.to = to;
    },
    onPointerUp: () => {
      const one = held.current;
      if (one?.moving) {
        moved.current = true;
        const frames = taken(one.id);
        if (one.to && !frames.has(one.to.id)) drop(frames, one.to);
      }
      end();
    },
    onPointerCancel: end,
    /** The click that follows a drag chooses nothing. */
    onClickCapture: (e: React.MouseEvent) => {
      if (moved.current) e.stopPropagation();
      moved.current = false;
    },
  };
  return { at, handlers };
}
