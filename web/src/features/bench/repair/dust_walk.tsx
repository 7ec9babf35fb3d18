import { useEffect, useState } from "react";
import { FIT } from "../../../canvas/viewport";
import { useBench } from "../../../state/bench";
import { useRepairs } from "../../../state/repairs";
import { Button } from "../../../ui/controls";
import { settle, settleAll, walkOn } from "./actions";

/** Walks through found dust, one spot after the other, at 1:1. */
export function DustWalk() {
  const walk = useRepairs((s) => s.walk);
  const [sure, setSure] = useState(80);
  useEffect(() => () => useBench.setState({ viewport: FIT }), []);
  const spot = walk?.spots[walk.at];
  if (!walk || !spot) return null;
  const waiting = walk.done.filter((d) => d === "").length;
  const mended = walk.done.filter((d) => d === "mended").length;
  const left = walk.done.length - waiting - mended;
  const ready = walk.spots.filter((s, i) => walk.done[i] === "" && s.chance >= sure).length;
  const state = walk.done[walk.at];
  return (
    <section aria-label="Found dust" className="border-t border-rule bg-sheet px-3.5 pb-2 pt-1.5">
      <div className="flex items-baseline gap-2">
        <h3 className="text-sm font-semibold">
          Spot {walk.at + 1} of {walk.spots.length}
        </h3>
        <span className="grow text-xs text-ink2">
          {state === "mended" ? "mended" : state === "left" ? "left as it is" : `${spot.chance} % sure`}
        </span>
        <Button quiet className="!px-1" onClick={() => useRepairs.setState({ walk: null })}>
          Done
        </Button>
      </div>
      <div className="flex flex-wrap items-center gap-1.5 pt-1">
        <Button ink aria-keyshortcuts="Y" disabled={state !== ""} onClick={() => settle("mended")}>
          Mend it
        </Button>
        <Button aria-keyshortcuts="X" disabled={state !== ""} onClick={() => settle("left")}>
          Leave it
        </Button>
        <Button
          quiet
          className="!px-1.5"
          aria-label="Back one spot"
          aria-keyshortcuts="Shift+N"
          onClick={() => walkOn(-1)}
        >
          Back
        </Button>
        <Button quiet className="!px-1.5" aria-label="Next spot" aria-keyshortcuts="N" onClick={() => walkOn(1)}>
          Next
        </Button>
      </div>
      <div className="flex items-center gap-1.5 pt-1.5 text-xs">
        <Button disabled={ready === 0} onClick={() => settleAll(sure)}>
          Mend {ready} that {ready === 1 ? "is" : "are"} at least
        </Button>
        <input
          type="number"
          aria-label="How sure, percent"
          min={50}
          max={99}
          value={sure}
          onKeyDown={(e) => e.stopPropagation()}
          onChange={(e) => setSure(Math.min(Math.max(Number(e.currentTarget.value) || 50, 1), 99))}
          className="h-6 w-12 rounded-[2px] border border-rule bg-white px-1 text-right"
        />
        % sure
      </div>
      <p className="pt-1 text-xs text-ink2">
        {waiting} waiting, {mended} mended, {left} left
      </p>
    </section>
  );
}
