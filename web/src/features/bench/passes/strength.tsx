import type { Pass } from "../../../api/generated/recipe";
import { useBench } from "../../../state/bench";
import { saveAs, withPass } from "../../../state/passes";

/** How strongly a pass is printed: a short scale beside the number. */
export function Strength({ pass }: { pass: Pass }) {
  const { edit, cancel } = useBench.getState();
  const set = (strength: number) => (r: Parameters<typeof withPass>[0]) =>
    withPass(r, pass.id, (p) => ({ ...p, strength }));
  const done = (value: string) => {
    if (Number(value) === pass.strength && !useBench.getState().moving) return;
    saveAs(`strength ${pass.id}`, set(Number(value)));
  };
  return (
    <>
      <input
        type="range"
        min={0}
        max={100}
        value={pass.strength}
        aria-label={`Strength of pass ${pass.name}, percent`}
        title="Strength; double-click sets 100"
        onChange={(e) => edit(set(Number(e.currentTarget.value)))}
        onPointerUp={(e) => done(e.currentTarget.value)}
        onKeyUp={(e) => done(e.currentTarget.value)}
        onKeyDown={(e) => {
          e.stopPropagation();
          if (e.key === "Escape") cancel();
        }}
        onDoubleClick={() => saveAs(`strength ${pass.id}`, set(100))}
        className="short-gauge h-3 w-[74px]"
      />
      <span className="w-7 text-right tabular-nums">{pass.strength.toFixed(0)}</span>
    </>
  );
}
