import { ApiError, type Version } from "../api/client";
import type { Recipe } from "../api/generated/recipe";
import { equal, sharing } from "./equal";
import { EMPTY, isEmpty, merged, named, type Patch, patched, reconciled, standing } from "./patch";

/** One thing that was done to a version. */
export type Deed =
  /** ``together``: versions that are edited along. */
  | { do: "set"; patch: Patch; gesture: string; together?: number[]; as_change?: boolean }
  | { do: "undo"; together?: number[] }
  | { do: "redo"; together?: number[] }
  | { do: "go"; position: number }
  | { do: "keep"; name: string }
  | { do: "return"; state: number }
  | { do: "forget"; state: number };

/** A deed that waits to be saved, or is being saved. */
export interface Entry {
  /** The server makes an id once, however often it is sent. */
  id: string;
  /** The newest state that this page knows: what it will be made on. */
  revision: number;
  /** Which file it is about (the start of its content's hash): another library on the same address has other files under its ids. */
  file: string;
  /** What stood at the places it puts when it was made. */
  before: Patch;
  deed: Deed;
}

export interface Surroundings {
  /** Sends one change based on a revision; rejects with an ApiError. Of its history the answer may tell a part only. */
  send: (version: number, revision: number, entry: Entry) => Promise<Version>;
  /** What is waiting has changed: to be kept over a reload. */
  keep: (version: number, waiting: readonly Entry[]) => void;
  /** The state or what waits has changed. */
  changed: (saver: Saver) => void;
  tell: (sentence: string, bad: boolean, action?: { words: string; run: () => void }) => void;
  newId: () => string;
  pause: (ms: number) => Promise<void>;
}

/** Answers that mean "not now": the change is kept and sent again. */
const LATER = new Set([0, 502, 503, 504, 507]);
const PAUSES_MS = [400, 800, 1600, 3200, 6400];
/** How often a change is sent that the server fails on, before it is given up. */
const FAILURES = 5;

/**
 * All that is done to one version, saved one after the other. What is shown is the saved recipe with everything that waits put on
 * it. It goes on while other frames are open, and knows nothing of React, the store or the network.
 */
export class Saver {
  waiting: Entry[] = [];
  private sending = false;
  private shown: Recipe;
  private end: End;

  constructor(
    /** As the server has it. */
    public version: Version,
    private readonly around: Surroundings,
  ) {
    this.shown = version.recipe;
    this.end = play(version, []);
  }

  /** The saved recipe with everything that waits. The same object as long as it is the same recipe. */
  get recipe(): Recipe {
    return this.shown;
  }

  /** Where the history will stand when everything that waits is saved. */
  get mayUndo(): boolean {
    return this.end.at > 0;
  }

  get mayRedo(): boolean {
    return this.end.at < this.end.last;
  }

  /** Puts a deed at the end of the queue. */
  add(deed: Deed): void {
    if (deed.do === "set" && isEmpty(deed.patch)) return;
    const last = this.waiting.at(-1);
    const unsent = last && (this.waiting.length > 1 || !this.sending);
    if (deed.do === "set" && unsent && last.deed.do === "set" && deed.gesture && last.deed.gesture === deed.gesture) {
      // one gesture, and its last part has not gone yet: one request for both
      const before = merged(standing(this.shown, deed.patch), last.before);
      const patch = merged(last.deed.patch, deed.patch);
      this.waiting[this.waiting.length - 1] = { ...last, before, deed: { ...deed, patch } };
    } else {
      const before = deed.do === "set" ? standing(this.shown, deed.patch) : EMPTY;
      this.waiting.push({
        id: this.around.newId(),
        revision: this.version.revision,
        file: fileOf(this.version),
        before,
        deed,
      });
    }
    this.settle();
    void this.run();
  }

  /** Goes on with what a page that is gone left: what was changed elsewhere since is told instead of overwritten. */
  resume(entries: readonly Entry[]): void {
    // the last one that was sent may have been made although its answer came to nobody
    const mine = entries.filter((e) => e.file === fileOf(this.version));
    if (mine.length < entries.length)
      this.around.tell("Changes that waited belong to a file of another library and were not made here.", true);
    const made = mine.findIndex((e) => e.id === this.version.last_change);
    const left = mine.slice(made + 1);
    this.waiting = [...left, ...this.waiting];
    if (made < 0 && left[0]?.revision !== this.version.revision) this.rebase();
    this.settle();
    void this.run();
  }

  /** Takes over a state that came from elsewhere. */
  adopt(current: Version): void {
    if (current.revision <= this.version.revision) return;
    this.take(current);
    this.rebase();
    this.settle();
  }

  /** What an answer tells; of its recipe what stands here already stays the same objects. */
  private take(version: Version): void {
    this.version = { ...version, recipe: sharing(this.shown, version.recipe) };
  }

  private settle(): void {
    const { revision } = this.version;
    this.waiting = this.waiting.map((e) => (e.revision === revision ? e : { ...e, revision }));
    this.end = play(this.version, this.waiting);
    if (!equal(this.end.recipe, this.shown)) this.shown = this.end.recipe;
    this.around.keep(this.version.id, this.waiting);
    this.around.changed(this);
  }

  /**
   * Looks at what waits on a state that was changed elsewhere. What touches other controls stays; what touches the same, or moves in
   * a history that is another one now, is given up and told.
   */
  private rebase(): void {
    let recipe = this.version.recipe;
    const lost: Entry[] = [];
    this.waiting = this.waiting.flatMap((entry) => {
      const { deed } = entry;
      if (deed.do === "set") {
        const now = standing(recipe, deed.patch);
        const put = reconciled(now, entry.before, deed.patch);
        if (put) {
          recipe = patched(recipe, put);
          return [{ ...entry, before: now, deed: { ...deed, patch: put } }];
        }
        lost.push(entry);
        return [];
      }
      const stays = deed.do === "forget" || deed.do === "return";
      if (!stays) lost.push(entry);
      return stays ? [entry] : [];
    });
    const patch = lost.reduce<Patch>((all, e) => (e.deed.do === "set" ? merged(all, e.deed.patch) : all), EMPTY);
    if (!isEmpty(patch))
      this.around.tell(
        `${named(patch)}: changed elsewhere meanwhile. What you see is the value from there; yours was not saved.`,
        true,
        { words: "Set mine", run: () => this.add({ do: "set", patch, gesture: "" }) },
      );
    else if (lost.length)
      this.around.tell(
        "This version was changed elsewhere meanwhile, so nothing was undone or named. Look, then do it again.",
        true,
      );
  }

  private async run(): Promise<void> {
    if (this.sending) return;
    this.sending = true;
    let tries = 0;
    while (this.waiting.length) {
      const entry = this.waiting[0] as Entry;
      if (this.pointless(entry)) {
        this.drop(entry);
        continue;
      }
      try {
        const { history } = this.version;
        this.take(whole(await this.around.send(this.version.id, this.version.revision, entry), history));
        tries = 0;
        this.waiting = this.waiting.filter((e) => e.id !== entry.id);
        // made some time ago, its answer was lost, and somebody has gone on from there
        if (this.version.last_change !== entry.id) this.rebase();
        this.settle();
        for (const note of this.version.notes) this.around.tell(note, true);
      } catch (error) {
        tries = await this.failed(entry, error, tries);
      }
    }
    this.sending = false;
    this.around.changed(this);
  }

  private pointless({ deed }: Entry): boolean {
    const { position, history } = this.version;
    return (deed.do === "undo" && position === 0) || (deed.do === "redo" && position >= history.length - 1);
  }

  private drop(entry: Entry): void {
    this.waiting = this.waiting.filter((e) => e.id !== entry.id);
    this.settle();
  }

  /** Returns how often this entry has failed in a row. */
  private async failed(entry: Entry, error: unknown, tries: number): Promise<number> {
    const status = error instanceof ApiError ? error.status : -1;
    const words = error instanceof Error ? error.message : String(error);
    if (error instanceof ApiError && status === 409 && error.current) {
      const waited = this.waiting.length;
      this.take(error.current as Version);
      this.rebase();
      if (this.waiting.length === waited)
        this.around.tell("This version was changed elsewhere too. Both changes are in it now.", false);
      this.settle();
      return 0;
    }
    if (LATER.has(status) || (status >= 500 && tries < FAILURES)) {
      if (tries === 0) {
        const kept = this.waiting.length === 1 ? "Your change waits" : `${this.waiting.length} changes wait`;
        this.around.tell(`${words} ${kept} and will be sent again.`, true);
      }
      await this.around.pause(PAUSES_MS[Math.min(tries, PAUSES_MS.length - 1)] as number);
      return tries + 1;
    }
    this.around.tell(words, true);
    const next = this.waiting[1];
    this.drop(entry);
    // whoever undid a change that was then refused meant that change
    if (entry.deed.do === "set" && next?.deed.do === "undo") this.drop(next);
    return 0;
  }
}

/** What is shown once everything that waits is made. */
interface End {
  recipe: Recipe;
  at: number;
  last: number;
}

/**
 * Plays what waits on the saved state as the server will, so that undo and redo are seen at once. Where an entry of the history is
 * too far away to be known, what is shown stays until the server answers.
 */
function play(version: Version, waiting: readonly Entry[]): End {
  let recipe = version.recipe;
  let at = version.position;
  let steps: { gesture: string; back: Patch | null; forth: Patch | null }[] = version.history;
  const move = (by: Patch | null | undefined) => {
    if (by) recipe = patched(recipe, by);
  };
  for (const { deed } of waiting) {
    if (deed.do === "set") {
      const back = standing(recipe, deed.patch);
      const next = patched(recipe, deed.patch);
      if (next === recipe) continue;
      recipe = next;
      const top = steps[at];
      if (at > 0 && top && deed.gesture && top.gesture === deed.gesture) {
        const both = { ...top, back: merged(back, top.back ?? EMPTY), forth: merged(top.forth ?? EMPTY, deed.patch) };
        steps = [...steps.slice(0, at), both];
        // the gesture came back to where it began: nothing was done
        if (top.back && patched(recipe, both.back) === recipe) steps = steps.slice(0, at--);
      } else {
        at += 1;
        steps = [...steps.slice(0, at), { gesture: deed.gesture, back, forth: deed.patch }];
      }
    } else if (deed.do === "undo" && at > 0) move(steps[at--]?.back);
    else if (deed.do === "redo" && at < steps.length - 1) move(steps[++at]?.forth);
    else if (deed.do === "go" && steps[deed.position]) {
      while (at > deed.position) move(steps[at--]?.back);
      while (at < deed.position) move(steps[++at]?.forth);
    } else if (deed.do === "return") {
      at += 1;
      steps = [...steps.slice(0, at), { gesture: "", back: null, forth: null }];
    }
  }
  return { recipe, at, last: steps.length - 1 };
}

/** An answer that tells a part of a history, with the rest of it from the history that it was made on. */
function whole(answer: Version, known: Version["history"]): Version {
  const first = answer.history[0]?.position ?? 0;
  const after = first + answer.history.length;
  if (first === 0 && after === answer.entries) return answer;
  return { ...answer, history: [...known.slice(0, first), ...answer.history, ...known.slice(after, answer.entries)] };
}

const fileOf = (version: Version): string => version.thumb.slice(0, 12);
