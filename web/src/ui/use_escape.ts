import { useEffect } from "react";

/** While something is held, Escape lets go of it, before anything else on the page hears the key. */
export function useEscape(held: boolean, leave: () => void): void {
  useEffect(() => {
    if (!held) return;
    const key = (e: KeyboardEvent) => {
      if (e.key !== "Escape") return;
      e.stopPropagation();
      leave();
    };
    window.addEventListener("keydown", key, true);
    return () => window.removeEventListener("keydown", key, true);
  }, [held, leave]);
}
