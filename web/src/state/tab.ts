/**
 * What this tab leaves for the case that it is gone, and what tabs of one browser tell each other. Changes that wait stand in the
 * browser's storage under the tab's name; a lock held for its life says whether it still lives.
 */

const PREFIX = "zincplate.waiting.";
const CHANNEL = "zincplate.versions";
const lockOf = (tab: string) => `zincplate.tab.${tab}`;

/** Name of this tab, also part of the lines on which it asks for pictures. A reload makes another one. */
export const tab = crypto.randomUUID();

const read = (key: string): Record<string, unknown[]> => {
  try {
    return JSON.parse(localStorage.getItem(key) ?? "{}") as Record<string, unknown[]>;
  } catch {
    return {};
  }
};

/** Writes what waits of one version; nothing is left behind when nothing waits. */
export function keepWaiting(version: number, entries: readonly unknown[]): void {
  if (typeof localStorage === "undefined") return;
  const key = PREFIX + tab;
  const all = read(key);
  if (entries.length) all[version] = [...entries];
  else if (version in all) delete all[version];
  else return;
  try {
    if (Object.keys(all).length) localStorage.setItem(key, JSON.stringify(all));
    else localStorage.removeItem(key);
  } catch {
    // full or forbidden: the changes are sent all the same, only a reload in between would lose them
  }
}

let living: Promise<void> | null = null;

/** Takes the lock that says that this tab lives; it is held until the tab ends. */
function alive(): Promise<void> {
  living ??= new Promise<void>((held) => {
    void navigator.locks.request(lockOf(tab), () => {
      held();
      return new Promise(() => {});
    });
  });
  return living;
}

/** Takes over what tabs left that are gone, this one before its reload among them. Each is taken by one tab only. */
export async function takeLeft(): Promise<Map<number, unknown[]>> {
  const left = new Map<number, unknown[]>();
  if (typeof navigator === "undefined" || !navigator.locks) return left;
  await alive();
  const keys = Array.from({ length: localStorage.length }, (_, i) => localStorage.key(i) ?? "");
  for (const key of keys.filter((k) => k.startsWith(PREFIX) && k !== PREFIX + tab)) {
    await navigator.locks.request(lockOf(key.slice(PREFIX.length)), { ifAvailable: true }, (lock) => {
      if (!lock) return;
      for (const [version, entries] of Object.entries(read(key)))
        left.set(Number(version), [...(left.get(Number(version)) ?? []), ...entries]);
      // in this tab's storage before they leave the other's: at no moment are they nowhere
      for (const [version, entries] of left) keepWaiting(version, entries);
      localStorage.removeItem(key);
    });
  }
  return left;
}

const channel = typeof BroadcastChannel === "undefined" ? null : new BroadcastChannel(CHANNEL);

/** Tells the other tabs that a version has a new revision. */
export function announce(version: number, revision: number): void {
  channel?.postMessage({ version, revision });
}

/** Tells the other tabs that several versions were changed on the server, and lists of frames with them. */
export function announceMany(versions: readonly number[]): void {
  channel?.postMessage({ versions: [...versions] });
}

export function onAnnouncedMany(heard: (versions: readonly number[]) => void): void {
  channel?.addEventListener("message", (e: MessageEvent<{ versions?: number[] }>) => {
    if (e.data.versions) heard(e.data.versions);
  });
}

export function onAnnounced(heard: (version: number, revision: number) => void): void {
  channel?.addEventListener("message", (e: MessageEvent<{ version?: number; revision?: number }>) => {
    if (e.data.version !== undefined) heard(e.data.version, e.data.revision ?? 0);
  });
}
