import { expect, it } from "vitest";
import type { Frame } from "../../api/client";
import type { FrameSet } from "../../state/frames";
import { groupsOf } from "./merging";

const frame = (id: number, set: number, more: Partial<Frame> = {}): Frame =>
  ({ id, set, raw: true, made: "", ...more }) as Frame;
const set = (id: number, kind: FrameSet["kind"]): FrameSet => ({ id, kind, name: "", state: "kept", words: kind });

it("several whole brackets are merged each by itself, without the masters that stand in them", () => {
  const picked = [frame(1, 7), frame(2, 7), frame(3, 7, { made: "bracket" }), frame(4, 8), frame(5, 8)];
  const found = groupsOf(picked, [set(7, "bracket"), set(8, "bracket")]);
  expect(found.as).toBe("bracket");
  expect(found.groups).toEqual([
    [1, 2],
    [4, 5],
  ]);
});

it("a sweep is a panorama, and so are masters of brackets alone", () => {
  expect(groupsOf([frame(1, 7), frame(2, 7)], [set(7, "sweep")])).toEqual({ as: "panorama", groups: [[1, 2]] });
  const masters = [frame(1, 7, { made: "bracket" }), frame(2, 8, { made: "bracket" })];
  expect(groupsOf(masters, [set(7, "bracket"), set(8, "bracket")])).toEqual({ as: "panorama", groups: [[1, 2]] });
});

it("anything else is one merge: a bracket while it can be one", () => {
  expect(groupsOf([frame(1, 7), frame(2, 7), frame(3, 0)], [set(7, "bracket")])).toEqual({
    as: "bracket",
    groups: [[1, 2, 3]],
  });
  const mixed = [frame(1, 7), frame(2, 7), frame(4, 8), frame(5, 8)];
  expect(groupsOf(mixed, [set(7, "bracket"), set(8, "sweep")]).groups).toEqual([[1, 2, 4, 5]]);
  expect(
    groupsOf(
      Array.from({ length: 12 }, (_, i) => frame(i + 1, 0)),
      [],
    ).as,
  ).toBe("panorama");
});
