import type { Frame } from "../../api/client";
import type { FrameSet } from "../../state/frames";

/** How a frame stands in its set on the sheet. */
export interface Stack {
  set: FrameSet;
  /** Frames of the set that are shown or folded away here. */
  members: readonly number[];
  /** How many of them were taken; masters that were made of them stand beside. */
  taken: number;
  folded: boolean;
  first: boolean;
  last: boolean;
}

export interface Stacked {
  /** Frames with a cell of their own; of a folded set the one that stands for it. */
  shown: readonly Frame[];
  of: ReadonlyMap<number, Stack>;
  /** All frames that a cell stands for. */
  expand: (ids: Iterable<number>) => number[];
}

/** The frame that stands for a folded set: what was made of it, else a kept one, else the one in the middle. */
function standIn(members: readonly Frame[]): Frame {
  return (
    members.findLast((f) => f.made) ??
    members.find((f) => f.mark === "keep") ??
    (members[Math.floor((members.length - 1) / 2)] as Frame)
  );
}

/** Lays sets on a list of frames: folded ones become one cell, open ones are joined where they stand side by side. */
export function stacked(
  frames: readonly Frame[],
  sets: readonly FrameSet[],
  open: ReadonlySet<number>,
  allOpen: boolean,
): Stacked {
  if (!sets.length) return { shown: frames, of: new Map(), expand: (ids) => [...new Set(ids)] };
  const known = new Map(sets.map((s) => [s.id, s]));
  const members = new Map<number, Frame[]>();
  for (const f of frames) {
    if (!f.set || !known.has(f.set)) continue;
    const mine = members.get(f.set);
    if (mine) mine.push(f);
    else members.set(f.set, [f]);
  }
  const isOpen = (id: number) => open.has(id) !== allOpen;
  const shown: Frame[] = [];
  for (const f of frames) {
    const mine = members.get(f.set);
    if (!mine || mine.length < 2 || isOpen(f.set)) shown.push(f);
    else if (mine[0] === f) shown.push(standIn(mine));
  }
  const of = new Map<number, Stack>();
  shown.forEach((f, i) => {
    const mine = members.get(f.set);
    const set = known.get(f.set);
    if (!mine || !set || mine.length < 2) return;
    of.set(f.id, {
      set,
      members: mine.map((m) => m.id),
      taken: mine.filter((m) => !m.made).length,
      folded: !isOpen(f.set),
      first: shown[i - 1]?.set !== f.set,
      last: shown[i + 1]?.set !== f.set,
    });
  });
  const expand = (ids: Iterable<number>) => {
    const all = new Set<number>();
    for (const id of ids) {
      const stack = of.get(id);
      if (stack?.folded) for (const member of stack.members) all.add(member);
      else all.add(id);
    }
    return [...all];
  };
  return { shown, of, expand };
}
