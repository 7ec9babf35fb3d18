import { useEffect, useRef } from "react";
import type { Recipe } from "../../../api/generated/recipe";
import { useBench } from "../../../state/bench";
import { complain } from "../../../state/notices";
import { repairsOf, useRepairs } from "../../../state/repairs";
import { fill } from "./actions";

/** Fills removals that have none yet, one after the other, so that what is seen is what is delivered. */
export function useFills(frame: number, recipe: Recipe): void {
  const refused = useRef(new Set<string>());
  const busy = useRef(false);
  const moving = useBench((s) => s.moving);
  const waiting = repairsOf(recipe).find(
    (r) => r.kind === "removal" && r.on && r.fill === "" && !refused.current.has(key(r)),
  );
  const next = waiting && !moving ? key(waiting) : null;
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key says which fill is wanted
  useEffect(() => {
    if (!waiting || !next || busy.current) return;
    busy.current = true;
    const here = useBench.getState().forThis();
    useRepairs.setState((s) => ({ filling: [...s.filling, waiting.id] }));
    fill(frame, recipe, waiting, here)
      .catch((error: unknown) => {
        refused.current.add(next);
        complain(error);
      })
      .finally(() => {
        busy.current = false;
        useRepairs.setState((s) => ({ filling: s.filling.filter((id) => id !== waiting.id) }));
      });
  }, [next, frame]);
}

const key = (r: ReturnType<typeof repairsOf>[number]): string => JSON.stringify([r.id, r.strokes, r.seed, r.reach]);
