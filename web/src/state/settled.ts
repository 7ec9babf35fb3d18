import { useEffect, useRef, useState } from "react";

const SCOPE_MS = 120;

/** A value that changes at most every SCOPE_MS: the scope need not follow every picture of a drag. */
export function useSettled<T>(value: T): T {
  const [shown, setShown] = useState(value);
  const since = useRef(0);
  useEffect(() => {
    const wait = Math.max(since.current + SCOPE_MS - performance.now(), 0);
    const timer = setTimeout(() => {
      since.current = performance.now();
      setShown(value);
    }, wait);
    return () => clearTimeout(timer);
  }, [value]);
  return shown;
}
