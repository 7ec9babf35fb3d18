import { useRef } from "react";

const FOCUSABLE =
  "a[href], button:not([tabindex='-1'], :disabled), input:not(:disabled), select:not(:disabled), textarea:not(:disabled), " +
  "[tabindex]:not([tabindex='-1'], :disabled)";

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

/** The dialog that an element stands in, or else the beginning of the place. */
function toGround(element: HTMLElement): void {
  const dialog = element.closest<HTMLElement>("[role=dialog]");
  if (dialog) dialog.focus({ preventScroll: true });
  else toPlace();
}

/** The keyboard leaves a field of words for where letters are the page's: its dialog, or the beginning of the place. */
export function leave(field: HTMLElement): void {
  toGround(field);
  // where nothing could take it, what was typed is taken all the same
  if (document.activeElement === field) field.blur();
}

/**
 * Never lets the keyboard fall back to the page's beginning. When the element that has it goes away, its namesake takes it, else
 * the first that can in the nearest part that is still there. A button that is switched off while it works lends it to its dialog
 * or place, and has it again afterwards unless it was taken elsewhere. Called once; returns how to stop it.
 */
export function keepFocus(): () => void {
  let trail: HTMLElement[] = [];
  let name = "";
  let lent: { from: HTMLElement; to: Element | null } | null = null;
  const remember = (e: FocusEvent) => {
    if (lent && e.target !== lent.to) lent = null;
    trail = [];
    for (let at = e.target as HTMLElement | null; at && at !== document.body; at = at.parentElement) trail.push(at);
    name = trail[0]?.getAttribute("aria-label") ?? "";
  };
  /** What a hand does meanwhile is done where the keyboard is: it stays there. */
  const forget = () => {
    lent = null;
  };
  const rescue = () => {
    const holder = document.activeElement;
    if (lent && !lent.from.matches(":disabled")) {
      if (lent.from.isConnected && holder === lent.to) lent.from.focus({ preventScroll: true });
      lent = null;
    }
    const lost = holder === document.body || holder === null || holder.matches(":disabled");
    if (lost && trail[0]?.isConnected && trail[0].matches(":disabled")) {
      const from = trail[0];
      toGround(from);
      lent = { from, to: document.activeElement };
    }
    if (!lost || !trail[0] || trail[0].isConnected) return;
    const ground = trail.find((e) => e.isConnected && (e.matches(START) || e.querySelector(FOCUSABLE)));
    const same = name ? ground?.querySelector<HTMLElement>(`[aria-label="${CSS.escape(name)}"]:not(:disabled)`) : null;
    // a tool that is put away leaves its picture the keyboard, and not the first button of the page
    const first = ground?.matches(START) ? ground : ground?.querySelector<HTMLElement>(FOCUSABLE);
    const target = same ?? (ground && ground.id !== "root" ? first : null);
    if (target) target.focus({ preventScroll: true });
    else toPlace();
  };
  // a place or a dialog that changes brings the keyboard along itself: that goes first
  const observer = new MutationObserver(() => setTimeout(rescue));
  observer.observe(document.body, { childList: true, subtree: true, attributeFilter: ["disabled"] });
  document.addEventListener("focusin", remember);
  document.addEventListener("keydown", forget, true);
  document.addEventListener("pointerdown", forget, true);
  return () => {
    observer.disconnect();
    document.removeEventListener("keydown", forget, true);
    document.removeEventListener("pointerdown", forget, true);
    document.removeEventListener("focusin", remember);
  };
}
