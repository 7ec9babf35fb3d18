/** A place in the page for a component under test, and hands to work it with. */
import { act, type ReactNode } from "react";
import { createRoot } from "react-dom/client";

(globalThis as { IS_REACT_ACT_ENVIRONMENT?: boolean }).IS_REACT_ACT_ENVIRONMENT = true;

export interface Page {
  place: HTMLElement;
  show: (what: ReactNode) => void;
  close: () => void;
}

export function openPage(): Page {
  const place = document.createElement("div");
  document.body.append(place);
  const root = createRoot(place);
  return {
    place,
    show: (what) => act(() => root.render(what)),
    close: () => {
      act(() => root.unmount());
      place.remove();
    },
  };
}

/** The one element with this accessible name; throws when there is none. */
export function named<T extends Element = HTMLElement>(place: ParentNode, name: string): T {
  const found = [...place.querySelectorAll("*")].find(
    (e) => e.getAttribute("aria-label") === name || (e.tagName === "BUTTON" && e.textContent === name),
  );
  if (!found) throw new Error(`nothing is called "${name}" in ${place.textContent}`);
  return found as T;
}

export const press = (element: EventTarget, key: string, more: KeyboardEventInit = {}): void =>
  act(() => {
    element.dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true, cancelable: true, ...more }));
  });

export const click = (element: Element): void =>
  act(() => {
    element.dispatchEvent(new MouseEvent("click", { bubbles: true, cancelable: true }));
  });

/** Types over what a field holds. */
export function type(field: HTMLInputElement, text: string): void {
  act(() => {
    const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value")?.set;
    set?.call(field, text);
    field.dispatchEvent(new Event("input", { bubbles: true }));
  });
}

/** A pointer event; happy-dom does not capture pointers, so capture is taken as given. */
export function point(element: Element, kind: "down" | "move" | "up" | "cancel", x: number, y: number): void {
  (element as { setPointerCapture?: unknown }).setPointerCapture = () => undefined;
  act(() => {
    const event = new MouseEvent(`pointer${kind}`, { bubbles: true, cancelable: true, clientX: x, clientY: y });
    Object.assign(event, { pointerId: 1 });
    element.dispatchEvent(event);
  });
}
