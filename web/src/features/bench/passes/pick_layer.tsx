import { useState } from "react";
import { ARROWS } from "../../../ui/arrows";
import type { OnScreen } from "../drawing/on_screen";

/** Picks a place of the picture: by a press, or with the keyboard by a cross that arrows move and Enter sets. */
export function PickLayer({ screen, onPick }: { screen: OnScreen; onPick: (x: number, y: number) => void }) {
  const { at, picture } = screen;
  const [cross, setCross] = useState<{ x: number; y: number } | null>(null);
  const take = (x: number, y: number) => {
    const [px, py] = [Math.floor((x - at.left) / at.scale), Math.floor((y - at.top) / at.scale)];
    if (px >= 0 && py >= 0 && px < picture.width && py < picture.height) onPick(px, py);
  };
  const middle = { x: at.left + (picture.width * at.scale) / 2, y: at.top + (picture.height * at.scale) / 2 };
  return (
    <button
      type="button"
      aria-label="Pick a place of the picture: arrows move the cross, Enter picks"
      className="pointer-events-auto absolute inset-0 h-full w-full cursor-crosshair"
      onClick={(e) => {
        const box = e.currentTarget.getBoundingClientRect();
        if (e.detail > 0) take(e.clientX - box.left, e.clientY - box.top);
        else take(cross?.x ?? middle.x, cross?.y ?? middle.y);
      }}
      onKeyDown={(e) => {
        const step = ARROWS[e.key];
        if (!step) return;
        const from = cross ?? middle;
        const by = e.shiftKey ? 40 : 8;
        setCross({ x: from.x + step[0] * by, y: from.y + step[1] * by });
        e.preventDefault();
        e.stopPropagation();
      }}
    >
      {cross && (
        <svg aria-hidden="true" className="pointer-events-none absolute inset-0 h-full w-full">
          {["#fff", "#161616"].map((ink, i) => (
            <path
              key={ink}
              d={`M${cross.x - 9} ${cross.y}h18M${cross.x} ${cross.y - 9}v18`}
              stroke={ink}
              strokeWidth={i ? 1.4 : 3.4}
            />
          ))}
        </svg>
      )}
    </button>
  );
}
