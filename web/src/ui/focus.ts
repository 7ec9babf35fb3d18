import { useRef } from "react";

const FOCUSABLE = "a[href], button:not([tabindex='-1']), input, select, textarea, [tabindex]:not([tabindex='-1'])";

const START = "[data-place-start]";

/** For a dialog that no trigger of its own opened: the keyboard goes back to where it was. */
export function useFocusReturn() {
  const before = useRef<HTMLElement | null>(null);
  return {
    onOpenAutoFocus: () => {
      before.current = document.activeElement instanceof HTMLElement ? document.activeElement : null;
    },
    onCloseAutoFocus: (e: Event) => {
      e.preventDefault();
      if (before.current?.isConnected) before.current.focus();
      else toPlace();
    },
  };
}

/** Brings the keyboard to where a place begins: its frames, its picture, or its first control. */
export function toPlace(): void {
  const start = document.querySelector<HTMLElement>(START);
  (start ?? document.querySelector<HTMLElement>(`main ${FOCUSABLE}`))?.focus({ preventScroll: true });
}

/** The keyboard leaves a field of words for where letters are the page's: its dialog, or the beginning of the place. */
export function leave(field: HTMLElement): void {
  const dialog = field.closest<HTMLElement>("[role=dialog]");
  if (dialog) dialog.focus({ preventScroll: true });
  else toPlace();
  // where nothing could take it, what was typed is taken all the same
  if (document.activeElement === field) field.blur();
}

/**
 * Never lets the keyboard fall back to the page's beginning. When the element that has it goes away, its namesake takes it, else
 * the first that can in the nearest part that is still there. Called once; returns how to stop it.
 */
export function keepFocus(): () => void {
  let trail: HTMLElement[] = [];
  let name = "";
  const remember = (e: FocusEvent) => {
    trail = [];
    for (let at = e.target as HTMLElement | null; at && at !== document.body; at = at.parentElement) trail.push(at);
    name = trail[0]?.getAttribute("aria-label") ?? "";
  };
  const rescue = () => {
    const lost = document.activeElement === document.body || document.activeElement === null;
    if (!lost || !trail[0] || trail[0].isConnected) return;
    const ground = trail.find((e) => e.isConnected && (e.matches(START) || e.querySelector(FOCUSABLE)));
    const same = name ? ground?.querySelector<HTMLElement>(`[aria-label="${CSS.escape(name)}"]`) : null;
    // a tool that is put away leaves its picture the keyboard, and not the first button of the page
    const first = ground?.matches(START) ? ground : ground?.querySelector<HTMLElement>(FOCUSABLE);
    const target = same ?? (ground && ground.id !== "root" ? first : null);
    if (target) target.focus({ preventScroll: true });
    else toPlace();
  };
  // a place or a dialog that changes brings the keyboard along itself: that goes first
  const observer = new MutationObserver(() => setTimeout(rescue));
  observer.observe(document.body, { childList: true, subtree: true });
  document.addEventListener("focusin", remember);
  return () => {
    observer.disconnect();
    document.removeEventListener("focusin", remember);
  };
}
