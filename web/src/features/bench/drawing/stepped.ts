import { useRef } from "react";
import type { Place } from "../../../canvas/strokes";
import { useBench } from "../../../state/bench";
import { complain } from "../../../state/notices";
import type { Here } from "../../../state/passes";
import { whenAnswered } from "../../../state/turns";

/** Steps of one handle whose answers have not all come. */
export interface Steps<T> {
  name: string;
  /** The thing and its place as they were before the first of them, and where the last one leads. */
  base: T;
  from: Place;
  to: Place;
  open: number;
}

/** One more step: from where those that are still open lead, else from what is seen now. */
export function stepped<T>(steps: Steps<T> | null, name: string, base: T, now: Place, by: Place): Steps<T> {
  const goesOn = steps !== null && steps.open > 0 && steps.name === name;
  const before = goesOn ? steps : { name, base, from: now, to: now, open: 0 };
  return { ...before, to: [before.to[0] + by[0], before.to[1] + by[1]], open: before.open + 1 };
}

/** Moves handles by arrow keys: `ask` works out what a press makes of the thing, of the picture that is seen then; it is used in
 * its turn, however late the answer to the press before it comes. */
export function useStepped<T>(
  ask: (base: T, from: Place, to: Place) => Promise<T | null>,
  use: (here: Here, next: T, name: string) => void,
): (name: string, base: T, now: Place, by: Place) => void {
  const steps = useRef<Steps<T> | null>(null);
  return (name, base, now, by) => {
    const mine = stepped(steps.current, name, base, now, by);
    steps.current = mine;
    const here = useBench.getState().forThis();
    void whenAnswered(ask(mine.base, mine.from, mine.to), (next) => next && use(here, next, name))
      .catch(complain)
      .finally(() => {
        const last = steps.current;
        if (last?.name === name) steps.current = { ...last, open: last.open - 1 };
      });
  };
}
