import type { components } from "../../api/generated/api";

type Schemas = components["schemas"];
export type Search = Schemas["Search"];
export type FoundFrame = Schemas["FoundFrame"];
export type Kept = Schemas["Kept"];

export const EMPTY_SEARCH: Search = {
  text: "",
  mark: "any",
  stars: 0,
  label: "",
  camera: "",
  lens: "",
  first_day: null,
  last_day: null,
  adjusted: null,
  delivered: null,
};

/** A search from an address; what is no search asks for nothing. */
export function searchOf(text: string): Search {
  try {
    const given = JSON.parse(text || "{}") as Partial<Search>;
    const known = Object.fromEntries(Object.entries(given).filter(([name]) => name in EMPTY_SEARCH));
    return { ...EMPTY_SEARCH, ...known };
  } catch {
    return EMPTY_SEARCH;
  }
}

/** Only what was asked for, so that addresses stay short. */
export function addressOf(search: Search): string {
  const asked = Object.entries(search).filter(([name, value]) => value !== EMPTY_SEARCH[name as keyof Search]);
  return asked.length ? JSON.stringify(Object.fromEntries(asked)) : "";
}
