import { create } from "zustand";
import type { PixelValues, Version } from "../api/client";
import type { Recipe } from "../api/generated/recipe";
import type { ViewHeader } from "../api/view";
import { FIT, type Viewport } from "../canvas/viewport";
import { equal } from "./equal";
import { difference, EMPTY, isEmpty, type Patch, patched, touches, without } from "./patch";
import { kept, onSaverChange, openSaver, saverOf, waitingNow } from "./savers";
import type { Deed, Saver } from "./saving";
import { alongWith } from "./together";
import { afterTurns, runRested } from "./turns";

export type Surround = "white" | "light" | "grey" | "dark" | "black";
export const SURROUNDS: Record<Surround, string> = {
  white: "#ffffff",
  light: "#bdbdbd",
  grey: "#808080",
  dark: "#3c3c3c",
  black: "#000000",
};

interface Bench {
  frame: number | null;
  /** As it is saved; what waits to be saved is in the draft. */
  version: Version | null;
  mayUndo: boolean;
  mayRedo: boolean;
  /** What is shown and edited: the saved recipe, or a newer one while a hand is on a control. */
  draft: Recipe | null;
  /** Changes of all versions that are not saved yet. */
  waiting: number;
  /** A hand is on a control. */
  moving: boolean;
  viewport: Viewport;
  compare: "none" | "original" | "split" | "side";
  /** The version that is compared with; null is the frame as it came in. */
  against: { version: number; name: string; recipe: Recipe; words: string[] } | null;
  split: number;
  warnings: boolean;
  /** Whose ends are hatched: any channel's (-1), red, green or blue (0, 1, 2). */
  warned: number;
  surround: Surround;
  /** What the pointer does on the picture. */
  tool: "hand" | "neutral" | "key" | "tone";
  /** The picture, the edge area of sharpening, what the chosen key reaches, where the open pass acts (as a film, or alone in grey), or the light that dust is looked for by. */
  show: "picture" | "edges" | "reach" | "area" | "area_alone" | "area_outline" | "dust";
  /** Id of the picked key that is being worked on. */
  ownKey: string | null;
  /** Id of the pass that is open. */
  openPass: string | null;
  /** Hatch colours that the delivery space cannot hold. */
  gamut: boolean;
  sensorScope: boolean;
  /** Places of the picture whose values stay in sight. */
  samplers: { x: number; y: number }[];
  /** Why a suggested value is what it is, by step.control. */
  reasons: Record<string, string>;
  header: ViewHeader | null;
  pixel: PixelValues | null;
  resting: string | null;
  drawMs: number | null;
  /** What takes seconds (the best noise reduction): what is in sight is shown without it, worked out so, or shown so. */
  slow: "none" | "working" | "shown";
  /** Full-size place under the pointer. */
  hover: { x: number; y: number } | null;
  magnifier: boolean;
  pin: (at: { x: number; y: number }, picture: { width: number; height: number }) => void;
  open: (frame: number, version: number) => Promise<void>;
  edit: (change: (recipe: Recipe) => Recipe) => void;
  /** With the name of a gesture the change goes on with it, also after a while: an answer that belongs to what a hand did. */
  save: (change?: (recipe: Recipe) => Recipe, gesture?: string) => void;
  /** The version that is open now, also when another one is by the time it is asked: for answers that come later. */
  forThis: () => {
    /** Its newest recipe, with all that waits to be saved. */
    recipe: () => Recipe | null;
    isOpen: () => boolean;
    save: (change: (recipe: Recipe) => Recipe) => void;
  };
  cancel: () => void;
  goTo: (position: number) => void;
  nameState: (name: string) => void;
  returnTo: (state: number) => void;
  forgetState: (state: number) => void;
  undo: () => void;
  redo: () => void;
}

/** Steps of one control within this time are one gesture: one entry of the history. */
const GESTURE_MS = 700;
let gesture = { id: "", controls: "", at: 0 };

/** The same gesture while the same controls are stepped in quick succession, by the time of the hand, not of the answers. */
function gestureOf(patch: Patch): string {
  const controls = touches(patch).sort().join();
  const at = performance.now();
  const goesOn = controls === gesture.controls && at - gesture.at < GESTURE_MS;
  gesture = { id: goesOn ? gesture.id : crypto.randomUUID(), controls, at };
  return gesture.id;
}

/** What came last, as {@link Bench.save} can go on with it. */
export const lastGesture = () => gesture.id;

/** How often a moving hand is followed. */
const HAND_MS = 30;

/** The next change is an entry of the history of its own. */
export const endGesture = () => {
  gesture = { id: "", controls: "", at: 0 };
};

export const useBench = create<Bench>((set, get) => {
  /** What a hand is moving on top of everything that is saved or waits. */
  let hand: Patch = EMPTY;

  /** A draft of the hand that is about to be told. */
  let pending: { draft: Recipe; timer: ReturnType<typeof setTimeout> } | null = null;
  let toldAt = 0;

  const drop = () => {
    clearTimeout(pending?.timer);
    pending = null;
  };
  const tell = (saver: Saver, draft: Recipe) => {
    drop();
    if (saver !== open()) return;
    toldAt = performance.now();
    hand = difference(saver.recipe, draft);
    set({ draft, moving: true });
  };
  const flush = (saver: Saver) => pending && tell(saver, pending.draft);

  const show = (saver: Saver) => {
    const waiting = waitingNow();
    if (waiting !== get().waiting) set({ waiting });
    if (saver.version.id !== get().version?.id) return;
    const draft = patched(saver.recipe, hand);
    const before = get().draft;
    set({
      version: saver.version,
      // the same recipe stays the same object, so that nothing is drawn twice
      draft: before && equal(draft, before) ? before : draft,
      mayUndo: saver.mayUndo,
      mayRedo: saver.mayRedo,
    });
  };
  onSaverChange(show);

  const open = () => saverOf(get().version?.id);
  const along = () => {
    const { together } = alongWith(get().version?.id ?? 0);
    return together.length ? { together } : {};
  };
  const put = (deed: Deed) => {
    runRested();
    const saver = open();
    // what the server is still working out comes first, as the hand did it first
    afterTurns(() => {
      endGesture();
      if (saver && (deed.do !== "undo" || saver.mayUndo) && (deed.do !== "redo" || saver.mayRedo)) saver.add(deed);
    });
  };
  return {
    frame: null,
    version: null,
    mayUndo: false,
    mayRedo: false,
    draft: null,
    waiting: 0,
    moving: false,
    viewport: FIT,
    compare: "none",
    against: null,
    split: 0.5,
    warnings: false,
    warned: -1,
    surround: "grey",
    tool: "hand",
    show: "picture",
    ownKey: null,
    openPass: null,
    gamut: false,
    sensorScope: false,
    samplers: [],
    reasons: {},
    hover: null,
    magnifier: false,
    pin: (at, picture) => {
      const { samplers } = get();
      const reach = Math.max(picture.width, picture.height) / 80;
      const near = samplers.findIndex((s) => Math.hypot(s.x - at.x, s.y - at.y) < reach);
      if (near >= 0) set({ samplers: samplers.filter((_, i) => i !== near) });
      else if (at.x >= 0 && at.y >= 0 && at.x < picture.width && at.y < picture.height && samplers.length < 6)
        set({ samplers: [...samplers, { x: at.x, y: at.y }] });
    },
    header: null,
    pixel: null,
    resting: null,
    drawMs: null,
    slow: "none",
    open: async (frame, versionId) => {
      runRested();
      drop();
      hand = EMPTY;
      endGesture();
      set({
        frame,
        version: null,
        draft: null,
        mayUndo: false,
        mayRedo: false,
        header: null,
        pixel: null,
        tool: "hand",
        show: "picture",
        ownKey: null,
        openPass: null,
        samplers: [],
        reasons: {},
        drawMs: null,
        slow: "none",
        moving: false,
        viewport: FIT,
        ...(get().against ? { against: null, compare: "none" as const } : {}),
      });
      const saver = await openSaver(versionId);
      if (get().frame !== frame) return;
      set({ version: saver.version });
      show(saver);
    },
    edit: (change) => {
      const { draft } = get();
      const saver = open();
      if (!draft || !saver) return;
      // all of the page follows a draft: thirty times a second is a smooth drag, more only takes time from the pictures
      const wait = toldAt + HAND_MS - performance.now();
      pending = pending ? { draft: change(pending.draft), timer: pending.timer } : null;
      if (pending) return;
      const next = change(draft);
      if (wait <= 0) tell(saver, next);
      else pending = { draft: next, timer: setTimeout(() => pending && tell(saver, pending.draft), wait) };
    },
    save: (change, goesOnWith) => {
      const saver = open();
      if (!saver) return;
      flush(saver);
      const patch = change ? difference(saver.recipe, change(saver.recipe)) : hand;
      // a hand on another control keeps what it holds
      hand = change ? without(hand, patch) : EMPTY;
      if (isEmpty(hand)) set({ moving: false });
      if (isEmpty(patch)) show(saver);
      else saver.add({ do: "set", patch, gesture: goesOnWith ?? gestureOf(patch), ...alongWith(saver.version.id) });
    },
    forThis: () => {
      const asked = open();
      return {
        recipe: () => (asked ? kept(asked).recipe : null),
        isOpen: () => asked !== undefined && kept(asked) === open(),
        save: (change) => {
          if (!asked) return;
          const saver = kept(asked);
          if (saver === open()) get().save(change);
          else saver.add({ do: "set", patch: difference(saver.recipe, change(saver.recipe)), gesture: "" });
        },
      };
    },
    cancel: () => {
      drop();
      hand = EMPTY;
      set({ moving: false });
      const saver = open();
      if (saver) show(saver);
    },
    goTo: (position) => put({ do: "go", position }),
    nameState: (name) => put({ do: "keep", name }),
    returnTo: (state) => put({ do: "return", state }),
    forgetState: (state) => put({ do: "forget", state }),
    undo: () => put({ do: "undo", ...along() }),
    redo: () => put({ do: "redo", ...along() }),
  };
});
