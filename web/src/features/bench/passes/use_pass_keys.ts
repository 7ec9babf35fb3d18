import { useEffect } from "react";
import { useBench } from "../../../state/bench";
import { usePasses } from "../../../state/passes";
import { clamp } from "../../../ui/number";
import { isTyped } from "../../../ui/typing";

const STEPS = [0.2, 0.3, 0.5, 0.7, 1, 1.5, 2, 3, 4, 6, 8, 11, 15, 20, 28, 40, 60];

/** The next size of the brush, in steps that look alike. */
export function nextSize(size: number, by: 1 | -1): number {
  const at = by > 0 ? STEPS.find((s) => s > size * 1.01) : [...STEPS].reverse().find((s) => s < size * 0.99);
  return at ?? size;
}

/** Keys of the pull sheet: the area alone, the film, the brush. */
export function usePassKeys(): void {
  useEffect(() => {
    const down = (e: KeyboardEvent) => {
      const { openPass, show } = useBench.getState();
      if (isTyped(e) || e.ctrlKey || e.metaKey || e.altKey || !openPass) return;
      const { brush, setBrush } = usePasses.getState();
      const key = e.key.toLowerCase();
      const bracket = e.code === "BracketLeft" ? -1 : e.code === "BracketRight" ? 1 : 0;
      if (key === "h") {
        if (!e.repeat && show !== "area_alone") {
          before = show;
          useBench.setState({ show: "area_alone" });
        }
      } else if (key === "a") useBench.setState({ show: show === "area" ? "picture" : "area" });
      else if (key === "e") setBrush({ erase: !brush.erase });
      else if (bracket && e.shiftKey) setBrush({ hardness: clamp(brush.hardness + 10 * bracket, 0, 100) });
      else if (bracket) setBrush({ size: nextSize(brush.size, bracket) });
      else return;
      e.preventDefault();
    };
    let before: ReturnType<typeof useBench.getState>["show"] = "picture";
    const up = (e: KeyboardEvent) => {
      if (e.key.toLowerCase() === "h" && useBench.getState().show === "area_alone") useBench.setState({ show: before });
    };
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    return () => {
      window.removeEventListener("keydown", down);
      window.removeEventListener("keyup", up);
    };
  }, []);
}
