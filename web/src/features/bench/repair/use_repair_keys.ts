import { useEffect } from "react";
import type { Frame } from "../../../api/client";
import { useBench } from "../../../state/bench";
import { complain } from "../../../state/notices";
import { repairsOf, useRepairs } from "../../../state/repairs";
import { clamp } from "../../../ui/number";
import { isTyped } from "../../../ui/typing";
import { nextSize } from "../passes/use_pass_keys";
import { nextCandidate, settle, walkOn } from "./actions";

/** Keys of the mending list: the brush, dust light, the next candidate, the walk. */
export function useRepairKeys(frame: Frame): void {
  useEffect(() => {
    const down = (e: KeyboardEvent) => {
      if (isTyped(e) || e.ctrlKey || e.metaKey || e.altKey) return;
      const { brush, setBrush, open, walk } = useRepairs.getState();
      const { show, draft } = useBench.getState();
      const key = e.key.toLowerCase();
      const bracket = e.code === "BracketLeft" ? -1 : e.code === "BracketRight" ? 1 : 0;
      if (key === "a") useBench.setState({ show: show === "dust" ? "picture" : "dust" });
      else if (key === "e") setBrush({ erase: !brush.erase });
      else if (key === "n" && walk) walkOn(e.shiftKey ? -1 : 1);
      else if (key === "n") {
        const one = repairsOf(draft).find((r) => r.id === open);
        if (one) nextCandidate(frame, one, e.shiftKey ? -1 : 1).catch(complain);
      } else if (key === "y" && walk) settle("mended");
      else if (key === "x" && walk) settle("left");
      else if (bracket && e.shiftKey) setBrush({ hardness: clamp(brush.hardness + 10 * bracket, 0, 100) });
      else if (bracket) setBrush({ size: nextSize(brush.size, bracket) });
      else return;
      e.preventDefault();
    };
    window.addEventListener("keydown", down);
    return () => window.removeEventListener("keydown", down);
  }, [frame]);
}
