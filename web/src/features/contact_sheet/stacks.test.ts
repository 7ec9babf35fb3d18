import { expect, it } from "vitest";
import type { Frame } from "../../api/client";
import type { FrameSet } from "../../state/frames";
import { stacked } from "./stacks";

const frame = (id: number, set = 0, mark = "") => ({ id, set, mark }) as Frame;
const SET: FrameSet = { id: 7, kind: "bracket", name: "", state: "proposed", words: "bracket" };
const list = [frame(1), frame(2, 7), frame(3, 7), frame(4, 7), frame(5)];
const ids = (frames: readonly Frame[]) => frames.map((f) => f.id);

it("a folded set is one cell that stands for all of it", () => {
  const { shown, of, expand } = stacked(list, [SET], new Set(), false);
  expect(ids(shown)).toEqual([1, 3, 5]);
  expect(of.get(3)).toMatchObject({ folded: true, members: [2, 3, 4] });
  expect(expand([3, 5])).toEqual([2, 3, 4, 5]);
});

it("a kept frame stands for its set", () => {
  const kept = list.map((f) => (f.id === 4 ? { ...f, mark: "keep" as const } : f));
  expect(ids(stacked(kept, [SET], new Set(), false).shown)).toEqual([1, 4, 5]);
});

it("an open set is joined from its first to its last frame, and each is itself", () => {
  const { shown, of, expand } = stacked(list, [SET], new Set([7]), false);
  expect(ids(shown)).toEqual([1, 2, 3, 4, 5]);
  expect([2, 3, 4].map((id) => [of.get(id)?.first, of.get(id)?.last])).toEqual([
    [true, false],
    [false, false],
    [false, true],
  ]);
  expect(expand([3])).toEqual([3]);
  expect(of.has(1)).toBe(false);
});

it("with all open, those that were pressed are folded; one frame left by a filter is no set", () => {
  expect(ids(stacked(list, [SET], new Set(), true).shown)).toEqual([1, 2, 3, 4, 5]);
  expect(ids(stacked(list, [SET], new Set([7]), true).shown)).toEqual([1, 3, 5]);
  const left = stacked([frame(1), frame(3, 7)], [SET], new Set(), false);
  expect(ids(left.shown)).toEqual([1, 3]);
  expect(left.of.size).toBe(0);
  // a set that the list does not know of is no set
  expect(stacked(list, [], new Set(), false).of.size).toBe(0);
});
