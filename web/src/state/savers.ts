import { api, type Frames, need, readVersion, type Version } from "../api/client";
import { useNotices } from "./notices";
import type { Values } from "./patch";
import { queryClient } from "./queries";
import { type Entry, Saver } from "./saving";
import { announce, announceMany, keepWaiting, onAnnounced, onAnnouncedMany, takeLeft } from "./tab";

/** One saver for each version that is open or has something waiting. */
const savers = new Map<number, Saver>();
let opened: number | null = null;
let heard: (saver: Saver) => void = () => {};

const savedListeners = new Set<(version: Version) => void>();
const saved = (version: Version): void => {
  for (const listener of savedListeners) listener(version);
};

/** Called with every state that a change of this tab led to; lists of frames listen. Returns how to stop it. */
export function onSaved(listener: (version: Version) => void): () => void {
  savedListeners.add(listener);
  return () => savedListeners.delete(listener);
}

let alongHeard: (versions: readonly number[]) => void = () => {};

/** Called with the versions that were edited along with one; lists of frames listen. */
export function onAlong(listener: (versions: readonly number[]) => void): void {
  alongHeard = (versions) => {
    followVersions(versions);
    listener(versions);
  };
}

/** Called whenever a state or what waits has changed; the bench listens. */
export function onSaverChange(listener: (saver: Saver) => void): void {
  heard = listener;
}

const EMPTY = {
  values: {} as Values,
  switches: {},
  gesture: "",
  position: 0,
  state: 0,
  name: "",
  together: [] as number[],
  as_change: false,
  // what else the history holds stands here already
  near: true,
};

async function send(id: number, revision: number, entry: Entry): Promise<Version> {
  const { deed } = entry;
  const change = { ...EMPTY, id: entry.id, revision, do: deed.do };
  if (deed.do === "set") {
    const { patch, gesture, together = [], as_change = false } = deed;
    Object.assign(change, patch, { gesture, together, as_change });
  } else Object.assign(change, deed);
  const answer = await need(api.POST("/api/versions/{id}/changes", { params: { path: { id } }, body: change }));
  announce(id, answer.revision);
  const along = (change as { together?: number[] }).together?.filter((v) => v !== id) ?? [];
  if (along.length) {
    alongHeard(along);
    announceMany(along);
  }
  const version = answer as Version;
  saved(version);
  return version;
}

/** Revisions that other tabs have told of and that this one has not seen yet. */
const announced = new Map<number, number>();

/** Looks at what another tab has saved, once nothing of our own is on its way. */
function follow(saver: Saver): void {
  const { id, revision } = saver.version;
  const newest = announced.get(id);
  if (newest === undefined || saver.waiting.length) return;
  announced.delete(id);
  if (revision < newest)
    readVersion(id).then(
      (state) => saver.adopt(state),
      () => {}, // the next change of ours meets it
    );
}

const around = {
  send,
  keep: keepWaiting,
  changed: (saver: Saver) => {
    heard(saver);
    follow(saver);
    if (!saver.waiting.length && saver.version.id !== opened) savers.delete(saver.version.id);
  },
  tell: (sentence: string, bad: boolean, action?: { words: string; run: () => void }) =>
    useNotices.getState().say(sentence, bad, action),
  newId: () => crypto.randomUUID(),
  pause: (ms: number) => new Promise<void>((done) => setTimeout(done, ms)),
};

/** What is told of a frame that is not in sight names it. */
const aroundOf = (version: Version) => ({
  ...around,
  tell: (sentence: string, bad: boolean, action?: { words: string; run: () => void }) =>
    around.tell(version.id === opened ? sentence : `${nameOf(version.frame)}: ${sentence}`, bad, action),
});

function nameOf(frame: number): string {
  for (const [, data] of queryClient.getQueriesData<Frames>({ queryKey: ["frames"] })) {
    const found = data?.frames.find((f) => f.id === frame);
    if (found) return found.name;
  }
  return "Another frame";
}

/** How many changes of all versions are not saved yet. */
export const waitingNow = (): number => [...savers.values()].reduce((sum, s) => sum + s.waiting.length, 0);

/** Resolves when nothing waits any more: what is done to many frames at once comes after what was done to each. */
export async function settledVersions(): Promise<void> {
  const end = Date.now() + SETTLE_MS;
  while (waitingNow() > 0 && Date.now() < end) await around.pause(25);
}
const SETTLE_MS = 10_000;

/** Versions that were changed on the server by something else than their own queue: those that are held here look at it. */
export function followVersions(versions: readonly number[]): void {
  for (const id of versions) {
    const saver = savers.get(id);
    if (!saver) continue;
    announced.set(id, Number.POSITIVE_INFINITY);
    follow(saver);
  }
}

export const saverOf = (version: number | undefined): Saver | undefined =>
  version === undefined ? undefined : savers.get(version);

/** A saver that somebody still holds, or the one that has taken its place. */
export function kept(saver: Saver): Saver {
  const known = savers.get(saver.version.id);
  if (!known) savers.set(saver.version.id, saver);
  return known ?? saver;
}

/** The saver of a version that is shown now; what still waits of it is in it. */
export async function openSaver(version: number): Promise<Saver> {
  opened = version;
  await restored();
  const waiting = savers.get(version);
  if (waiting?.waiting.length) return waiting;
  const state = await readVersion(version);
  const known = savers.get(version);
  if (known) known.adopt(state);
  else savers.set(version, new Saver(state, aroundOf(state)));
  resumeLeft(version);
  for (const [id, saver] of savers) if (!saver.waiting.length && id !== opened) savers.delete(id);
  return savers.get(version) ?? new Saver(state, aroundOf(state));
}

let restoring: Promise<void> | null = null;

/** Sends what tabs that are gone left waiting. */
function restored(): Promise<void> {
  restoring ??= restore();
  return restoring;
}

/** What other tabs left of versions that could not be loaded yet; it stands in this tab's storage too. */
const left = new Map<number, Entry[]>();

/** Gives what was left of a version to its saver. */
function resumeLeft(version: number): void {
  const entries = left.get(version);
  const saver = savers.get(version);
  if (!entries || !saver) return;
  left.delete(version);
  saver.resume(entries);
}

async function restore(): Promise<void> {
  for (const [version, entries] of await takeLeft())
    left.set(version, [...(left.get(version) ?? []), ...(entries as Entry[])]);
  for (const version of [...left.keys()]) {
    try {
      if (!savers.has(version)) {
        const state = await readVersion(version);
        if (!savers.has(version)) savers.set(version, new Saver(state, aroundOf(state)));
      }
      resumeLeft(version);
    } catch (error) {
      // they stay: tried again when the version is opened, or by the next page
      useNotices
        .getState()
        .say(`Changes from before wait to be saved. ${error instanceof Error ? error.message : ""}`, true);
    }
  }
}

/** Called once by the page: goes on with what was left, and follows what other tabs save. */
export function startSaving(): void {
  void restored();
  // a tab that is just being closed still holds its lock for a moment
  setTimeout(() => void restore(), 2000);
  onAnnouncedMany((versions) => {
    followVersions(versions);
    void queryClient.invalidateQueries({ queryKey: ["frames"] });
  });
  onAnnounced((version, revision) => {
    const saver = savers.get(version);
    if (!saver || saver.version.revision >= revision) return;
    announced.set(version, revision);
    follow(saver);
  });
}
