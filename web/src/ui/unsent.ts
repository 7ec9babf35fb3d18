import { useCallback, useState } from "react";

const PREFIX = "zincplate.unsent.";

function kept<T>(name: string): T | null {
  try {
    return JSON.parse(sessionStorage.getItem(PREFIX + name) ?? "null") as T | null;
  } catch {
    return null;
  }
}

/**
 * What is typed in a dialog and not yet sent: there again when the dialog was closed by a press beside it, or the page was read
 * again. `about` says what it is typed for: of each dialog the last one is kept. Null forgets it.
 */
export function useUnsent<T>(dialog: string, about: string, plain: T): [T, (typed: T | null) => void] {
  const [typed, setTyped] = useState<T>(() => {
    const last = kept<{ about: string; typed: T }>(dialog);
    return last?.about === about ? last.typed : plain;
  });
  const change = useCallback(
    (next: T | null) => {
      if (next !== null) setTyped(next);
      try {
        if (next === null) sessionStorage.removeItem(PREFIX + dialog);
        else sessionStorage.setItem(PREFIX + dialog, JSON.stringify({ about, typed: next }));
      } catch {
        // forbidden or full: it is only not there the next time
      }
    },
    [dialog, about],
  );
  return [typed, change];
}
