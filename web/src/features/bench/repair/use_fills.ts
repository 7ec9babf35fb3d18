import { useEffect, useRef, useState } from "react";
import { useBench } from "../../../state/bench";
import { complain } from "../../../state/notices";
import { fillOf, repairsOf, useRepairs } from "../../../state/repairs";
import { fill } from "./actions";

/** Fills removals that have none yet, one after the other and whatever step is open, so that what is seen is what is delivered.
 * Draws nothing: a part of its own, so that the bench is not drawn anew with every draft. */
export function Fills({ frame }: { frame: number }): null {
  const recipe = useBench((s) => s.draft);
  const refused = useRef(new Set<string>());
  const [busy, setBusy] = useState(false);
  const moving = useBench((s) => s.moving);
  // while the history is walked through nothing is added to it
  const walking = useBench((s) => s.mayRedo);
  const waiting = repairsOf(recipe).find(
    (r) => r.kind === "removal" && r.on && r.fill === "" && !refused.current.has(fillOf(r)),
  );
  const next = waiting && !moving && !walking ? fillOf(waiting) : null;
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key says which fill is wanted
  useEffect(() => {
    if (!waiting || !next || !recipe || busy) return;
    setBusy(true);
    const here = useBench.getState().forThis();
    useRepairs.setState((s) => ({ filling: [...s.filling, waiting.id] }));
    fill(frame, recipe, waiting, here)
      .catch((error: unknown) => {
        refused.current.add(next);
        complain(error);
      })
      .finally(() => {
        setBusy(false);
        useRepairs.setState((s) => ({ filling: s.filling.filter((id) => id !== waiting.id) }));
      });
  }, [next, frame, busy]);
  return null;
}
