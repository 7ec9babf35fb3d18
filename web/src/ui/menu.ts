/** The look of a menu and of its rows. */
export const MENU = "z-40 min-w-52 border border-ink bg-sheet py-1 text-sm shadow-lg data-[state=open]:outline-none";
export const ITEM =
  "flex cursor-default items-center gap-2 px-3 py-1 outline-none data-[highlighted]:bg-white data-[disabled]:text-ink3";
