import { api, type Frame, need } from "../../api/client";
import { MERGE_MOST, MERGE_PLAIN } from "../../api/generated/recipe";
import type { FrameSet } from "../../state/frames";
import { complain, useNotices } from "../../state/notices";
import { go, type MergeKind } from "../../state/route";

const NAMES: Record<MergeKind, string> = {
  bracket: "bracket",
  panorama: "panorama",
  focus: "focus series",
  series: "series",
};
const OF_SETS: Partial<Record<FrameSet["kind"], MergeKind>> = {
  bracket: "bracket",
  sweep: "panorama",
  focus: "focus",
  sky: "series",
};

/** What a choice of frames is merged as, in groups: whole brackets each by itself, anything else together. */
export function groupsOf(picked: readonly Frame[], sets: readonly FrameSet[]): { as: MergeKind; groups: number[][] } {
  // masters stand in the sets of their sources; only when nothing else is chosen are they what is meant
  const masters = picked.every((f) => f.made);
  const taken = masters ? picked : picked.filter((f) => !f.made);
  const kinds = new Map(sets.map((s) => [s.id, s.kind]));
  const groups = new Map<number, number[]>();
  for (const f of taken) {
    const group = groups.get(f.set);
    if (group) group.push(f.id);
    else groups.set(f.set, [f.id]);
  }
  const all = [taken.map((f) => f.id)];
  if (masters) return { as: "panorama", groups: all };
  const found = new Set([...groups.keys()].map((set) => OF_SETS[kinds.get(set) as FrameSet["kind"]]));
  const [as] = found;
  const whole = [...groups.values()].every((ids) => ids.length >= 2 && ids.length <= MERGE_MOST.bracket);
  if (found.size === 1 && as === "bracket" && whole) return { as, groups: [...groups.values()] };
  if (found.size === 1 && as) return { as, groups: all };
  // darks and flats are chosen with their sky
  if (found.has("series")) return { as: "series", groups: all };
  return { as: taken.length <= MERGE_MOST.bracket ? "bracket" : "panorama", groups: all };
}

/** Opens the merge table with what a master was made from. */
export async function makeAgain(shoot: number, master: Frame): Promise<void> {
  try {
    const made = await need(api.GET("/api/frames/{id}/made", { params: { path: { id: master.id } } }));
    const frames = made.sources.flatMap((s) => (s.frame === null ? [] : [s.frame]));
    go({ place: "merge", shoot, frames, as: made.kind, again: master.id });
  } catch (error) {
    complain(error);
  }
}

/** Why so many frames cannot be merged as that; empty when they can. */
export const tooMany = (as: MergeKind, count: number): string =>
  count > MERGE_MOST[as] ? `A ${NAMES[as]} is made of 2 to ${MERGE_MOST[as]} frames; these are ${count}.` : "";

/** Opens the merge table, or what a master was made from; returns the brackets when several are chosen: then it has to be asked
 *  what they are to become. */
export function mergeChosen(shoot: number, picked: readonly Frame[], sets: readonly FrameSet[]): number[][] | null {
  const [first] = picked;
  if (picked.length === 1 && first?.made) {
    void makeAgain(shoot, first);
    return null;
  }
  const { as, groups } = groupsOf(picked, sets);
  if (groups.length > 1) return groups;
  const { say } = useNotices.getState();
  const only = groups[0] ?? [];
  if (only.length < 2) say("Choose two frames or more to merge.");
  else if (tooMany(as, only.length)) say(tooMany(as, only.length));
  else go({ place: "merge", shoot, frames: only, as });
  return null;
}

/** Has a master made of each bracket, as it finds best. */
export async function makeEach(groups: readonly number[][]): Promise<void> {
  try {
    for (const frames of groups)
      await need(
        api.POST("/api/merges", {
          body: {
            frames,
            options: MERGE_PLAIN.bracket,
            look: "Range, natural",
            replaces: null,
            request_key: crypto.randomUUID(),
          },
        }),
      );
    useNotices.getState().say(`${groups.length} brackets are being made, one master each.`);
  } catch (error) {
    complain(error);
  }
}
