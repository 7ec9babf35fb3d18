/** What the browser keeps for the next time. It may keep nothing, or something broken: no reason not to work. */

/** What was kept under a key; null where nothing was, or nothing that can be read. */
export function recalled(key: string, where: () => Storage = () => localStorage): unknown {
  try {
    return JSON.parse(where().getItem(key) ?? "null");
  } catch {
    return null;
  }
}

/** Keeps a value under a key, null takes it away; says whether there was room. */
export function memorise(key: string, value: unknown, where: () => Storage = () => localStorage): boolean {
  try {
    if (value === null) where().removeItem(key);
    else where().setItem(key, JSON.stringify(value));
    return true;
  } catch {
    return false; // full or forbidden: it is only not there the next time
  }
}
