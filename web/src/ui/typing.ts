/** Whether a key is being typed into something, or belongs to a dialog: then it is none of the page's. */
export function isTyped(e: KeyboardEvent): boolean {
  const { target } = e;
  const typing =
    (target instanceof HTMLInputElement &&
      target.dataset.idle !== "true" &&
      !/^(checkbox|radio|button)$/.test(target.type)) ||
    target instanceof HTMLSelectElement ||
    target instanceof HTMLTextAreaElement;
  return typing || document.querySelector("[role=dialog]") !== null;
}
