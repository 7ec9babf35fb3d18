import { useState } from "react";
import type { Pass } from "../../../api/generated/recipe";
import { useBench } from "../../../state/bench";
import { saveAs, withPass } from "../../../state/passes";

/** How strongly a pass is printed: a short scale beside the number. */
export function Strength({ pass }: { pass: Pass }) {
  const { edit, cancel } = useBench.getState();
  const set = (strength: number) => (r: Parameters<typeof withPass>[0]) =>
    withPass(r, pass.id, (p) => ({ ...p, strength }));
  // what the hand has set and the recipe has not heard yet: keys come faster than drafts are told
  const [held, setHeld] = useState<number | null>(null);
  const done = () => {
    if (held === null) return;
    saveAs(`strength ${pass.id}`, set(held));
    setHeld(null);
  };
  return (
    <>
      <input
        type="range"
        min={0}
        max={100}
        value={held ?? pass.strength}
        aria-label={`Strength of pass ${pass.name}, percent`}
        title="Strength; double-click sets 100"
        onChange={(e) => {
          const value = Number(e.currentTarget.value);
          setHeld(value);
          edit(set(value));
        }}
        onPointerUp={done}
        onKeyUp={done}
        onBlur={done}
        onKeyDown={(e) => {
          e.stopPropagation();
          if (e.key === "Escape") {
            setHeld(null);
            cancel();
          }
        }}
        onDoubleClick={() => saveAs(`strength ${pass.id}`, set(100))}
        className="short-gauge h-3 w-[74px]"
      />
      <span className="w-7 text-right tabular-nums">{(held ?? pass.strength).toFixed(0)}</span>
    </>
  );
}
