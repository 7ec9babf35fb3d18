import { useEffect, useRef } from "react";

/** Listens to the keys of the whole window with what was given last, without listening anew at every drawing. */
export function useKeys(onKey: (e: KeyboardEvent) => void): void {
  const latest = useRef(onKey);
  latest.current = onKey;
  useEffect(() => {
    const key = (e: KeyboardEvent) => latest.current(e);
    window.addEventListener("keydown", key);
    return () => window.removeEventListener("keydown", key);
  }, []);
}
