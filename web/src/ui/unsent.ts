import { useCallback, useState } from "react";
import { memorise, recalled } from "../state/memory";

const PREFIX = "zincplate.unsent.";

const inTab = () => sessionStorage;

/**
 * What is typed in a dialog and not yet sent: there again when the dialog was closed by a press beside it, or the page was read
 * again. `about` says what it is typed for: of each dialog the last one is kept. Null forgets it.
 */
export function useUnsent<T>(dialog: string, about: string, plain: T): [T, (typed: T | null) => void] {
  const [typed, setTyped] = useState<T>(() => {
    const last = recalled(PREFIX + dialog, inTab) as { about: string; typed: T } | null;
    return last?.about === about ? last.typed : plain;
  });
  const change = useCallback(
    (next: T | null) => {
      if (next !== null) setTyped(next);
      memorise(PREFIX + dialog, next === null ? null : { about, typed: next }, inTab);
    },
    [dialog, about],
  );
  return [typed, change];
}
