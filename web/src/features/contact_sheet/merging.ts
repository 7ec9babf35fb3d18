import { api, type Frame, need } from "../../api/client";
import type { FrameSet } from "../../state/frames";
import { complain, useNotices } from "../../state/notices";
import { go } from "../../state/route";
import { PLAIN } from "../merge/judgement";

const MOST = 9;

/**
 * The brackets that a choice is made of: whole sets, each without the masters that were made of it. One group when it is a single
 * set or a free choice of frames.
 */
export function bracketsOf(picked: readonly Frame[], sets: readonly FrameSet[]): number[][] {
  const taken = picked.filter((f) => !f.made && f.raw);
  const kinds = new Map(sets.map((s) => [s.id, s.kind]));
  const groups = new Map<number, number[]>();
  for (const f of taken) {
    const group = groups.get(f.set);
    if (group) group.push(f.id);
    else groups.set(f.set, [f.id]);
  }
  const whole = [...groups].every(
    ([set, ids]) => kinds.get(set) === "bracket" && ids.length >= 2 && ids.length <= MOST,
  );
  return whole && groups.size > 1 ? [...groups.values()] : [taken.map((f) => f.id)];
}

/** Opens the merge table with what a master was made from. */
async function makeAgain(shoot: number, master: Frame): Promise<void> {
  try {
    const made = await need(api.GET("/api/frames/{id}/made", { params: { path: { id: master.id } } }));
    const frames = made.sources.flatMap((s) => (s.frame === null ? [] : [s.frame]));
    go({ place: "merge", shoot, frames, again: master.id });
  } catch (error) {
    complain(error);
  }
}

/** Opens the merge table; of several brackets at once each is made by itself, as it finds best. */
export async function mergeChosen(shoot: number, picked: readonly Frame[], sets: readonly FrameSet[]): Promise<void> {
  const [first] = picked;
  if (picked.length === 1 && first?.made) return makeAgain(shoot, first);
  const kinds = new Set(picked.map((f) => sets.find((s) => s.id === f.set)?.kind));
  const [kind] = kinds;
  if (kinds.size === 1 && (kind === "sweep" || kind === "focus" || kind === "sky")) {
    const what = { sweep: "A sweep", focus: "A focus series", sky: "A series of one sky" }[kind];
    useNotices.getState().say(`${what} cannot be merged yet; brackets can.`);
    return;
  }
  const groups = bracketsOf(picked, sets);
  const { say } = useNotices.getState();
  const only = groups[0] ?? [];
  if (groups.length === 1) {
    if (only.length < 2) say("Choose two camera files or more to merge.");
    else if (only.length > MOST) say(`A bracket is made of 2 to ${MOST} frames; these are ${only.length}.`);
    else go({ place: "merge", shoot, frames: only });
    return;
  }
  try {
    for (const frames of groups)
      await need(
        api.POST("/api/merges", {
          body: { frames, options: PLAIN, look: "Range, natural", replaces: null, request_key: crypto.randomUUID() },
        }),
      );
    say(`${groups.length} brackets are being made, one master each.`);
  } catch (error) {
    complain(error);
  }
}
