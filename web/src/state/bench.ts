import { create } from "zustand";
import { ApiError, api, need, type PixelValues, type Version } from "../api/client";
import type { Recipe } from "../api/generated/recipe";
import type { ViewHeader } from "../api/view";
import { FIT, type Viewport } from "../canvas/viewport";
import { equal } from "./equal";
import { complain, useNotices } from "./notices";

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
  version: Version | null;
  /** What is shown and edited: the saved recipe, or a newer one while a hand is on a control. */
  draft: Recipe | null;
  viewport: Viewport;
  compare: "none" | "original" | "split" | "side";
  split: number;
  warnings: boolean;
  /** Whose ends are hatched: any channel's (-1), red, green or blue (0, 1, 2). */
  warned: number;
  surround: Surround;
  /** What the pointer does on the picture. */
  tool: "hand" | "neutral" | "key" | "tone";
  /** The picture, the edge area of sharpening, or what the chosen key reaches. */
  show: "picture" | "edges" | "reach";
  /** Picked key that is being worked on. */
  ownKey: number | null;
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
  /** Full-size place under the pointer. */
  hover: { x: number; y: number } | null;
  magnifier: boolean;
  pin: (at: { x: number; y: number }, picture: { width: number; height: number }) => void;
  open: (frame: number, version: number) => Promise<void>;
  edit: (change: (recipe: Recipe) => Recipe) => void;
  save: (change?: (recipe: Recipe) => Recipe) => void;
  cancel: () => void;
  goTo: (position: number) => void;
  nameState: (name: string) => void;
  returnTo: (state: number) => void;
  forgetState: (state: number) => void;
  undo: () => void;
  redo: () => void;
}

/** Saves go one after the other, each based on the revision that the one before gave. */
let queue: Promise<void> = Promise.resolve();
let newest = 0;

export const useBench = create<Bench>((set, get) => {
  /** `sent` is the draft that the answer replaces; a newer one (a hand is on a control again) stays. */
  const later = (frame: number, action: (version: Version) => Promise<Version>, sent: () => Recipe | null) => {
    queue = queue.then(async () => {
      const { version, frame: open } = get();
      if (!version || open !== frame) return;
      const shown = sent();
      try {
        const next = await action(version);
        if (get().frame !== frame) return;
        // the same recipe stays the same object, so that nothing is drawn twice
        const draft = shown && equal(next.recipe, shown) ? shown : next.recipe;
        set({ version: next, draft: get().draft === shown ? draft : get().draft });
      } catch (error) {
        if (get().frame !== frame) return;
        if (error instanceof ApiError && error.status === 409 && error.current) {
          const current = error.current as Version;
          set({ version: current, draft: current.recipe });
          useNotices.getState().say(error.message, true);
          return;
        }
        complain(error);
        if (error instanceof ApiError && error.status === 422) set({ draft: version.recipe });
      }
    });
  };
  /** Something asked of the server for the open version, whose answer is its new state. */
  const ask = (action: (version: Version) => Promise<unknown>) => {
    const { frame } = get();
    if (frame === null) return;
    later(
      frame,
      (v) => action(v).then((r) => r as Version),
      () => get().draft,
    );
  };
  const goTo = (position: number) => {
    const { frame, version } = get();
    if (frame === null || !version) return;
    later(
      frame,
      (v) =>
        need(
          api.PUT("/api/versions/{id}/position", {
            params: { path: { id: v.id } },
            body: { revision: v.revision, position },
          }),
        ).then((r) => r as unknown as Version),
      () => get().draft,
    );
  };
  return {
    frame: null,
    version: null,
    draft: null,
    viewport: FIT,
    compare: "none",
    split: 0.5,
    warnings: false,
    warned: -1,
    surround: "grey",
    tool: "hand",
    show: "picture",
    ownKey: null,
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
    open: async (frame, versionId) => {
      set({
        frame,
        version: null,
        draft: null,
        header: null,
        pixel: null,
        tool: "hand",
        show: "picture",
        ownKey: null,
        samplers: [],
        reasons: {},
        drawMs: null,
        viewport: FIT,
      });
      const version = (await need(
        api.GET("/api/versions/{id}", { params: { path: { id: versionId } } }),
      )) as unknown as Version;
      if (get().frame === frame) set({ version, draft: version.recipe });
    },
    edit: (change) => {
      const { draft } = get();
      if (draft) set({ draft: change(draft) });
    },
    save: (change) => {
      const { draft, frame } = get();
      if (!draft || frame === null) return;
      const recipe = change ? change(draft) : draft;
      set({ draft: recipe });
      const mine = ++newest;
      later(
        frame,
        async (v) => {
          // a newer save is waiting already: it holds this change too
          if (mine !== newest || equal(recipe, v.recipe)) return v;
          return (await need(
            api.PUT("/api/versions/{id}/recipe", {
              params: { path: { id: v.id } },
              body: { revision: v.revision, recipe: recipe as unknown as Record<string, never> },
            }),
          )) as unknown as Version;
        },
        () => (mine === newest ? recipe : null),
      );
    },
    cancel: () => set({ draft: get().version?.recipe ?? null }),
    goTo,
    nameState: (name) =>
      ask((v) => need(api.POST("/api/versions/{id}/states", { params: { path: { id: v.id } }, body: { name } }))),
    returnTo: (state) =>
      ask((v) =>
        need(
          api.PUT("/api/versions/{id}/states/{state}", {
            params: { path: { id: v.id, state } },
            body: { revision: v.revision },
          }),
        ),
      ),
    forgetState: (state) =>
      ask((v) => need(api.DELETE("/api/versions/{id}/states/{state}", { params: { path: { id: v.id, state } } }))),
    undo: () => {
      const v = get().version;
      if (v && v.position > 0) goTo(v.position - 1);
    },
    redo: () => {
      const v = get().version;
      if (v && v.position < v.history.length - 1) goTo(v.position + 1);
    },
  };
});
