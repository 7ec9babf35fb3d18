import { api, need } from "../../api/client";
import { alone } from "../../state/alone";
import type { FrameSet } from "../../state/frames";
import { complain, useNotices } from "../../state/notices";
import { queryClient } from "../../state/queries";

export const KINDS: readonly (readonly [FrameSet["kind"], string])[] = [
  ["bracket", "bracket"],
  ["sweep", "sweep"],
  ["focus", "focus series"],
  ["sky", "series of one sky"],
  ["burst", "burst"],
  ["other", "other"],
];

const act = async (work: () => Promise<unknown>): Promise<void> => {
  try {
    await work();
  } catch (error) {
    complain(error);
  }
  void queryClient.invalidateQueries({ queryKey: ["frames"] });
};

export const proposeSets = (shoot: number) =>
  act(async () => {
    await need(api.POST("/api/shoots/{id}/sets", { params: { path: { id: shoot } } }));
    useNotices.getState().say("Looking for sets. They appear on the sheet when they are found.");
  });

export const keepSets = (sets: readonly FrameSet[]) =>
  act(async () => {
    const proposed = sets.filter((s) => s.state === "proposed").map((s) => s.id);
    if (proposed.length) await need(api.POST("/api/sets/keep", { body: { sets: proposed } }));
  });

export const makeSet = (frames: number[], kind: FrameSet["kind"]) =>
  alone(["set", frames, kind], () => act(() => need(api.POST("/api/sets", { body: { frames, kind, name: "" } }))));

export const leaveSets = (frames: number[]) => act(() => need(api.POST("/api/sets/leave", { body: { frames } })));
