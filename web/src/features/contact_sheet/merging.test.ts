import { expect, it } from "vitest";
import type { Frame } from "../../api/client";
import type { FrameSet } from "../../state/frames";
import { bracketsOf } from "./merging";

const frame = (id: number, set: number, more: Partial<Frame> = {}): Frame =>
  ({ id, set, raw: true, made: "", ...more }) as Frame;
const set = (id: number, kind: FrameSet["kind"]): FrameSet => ({ id, kind, name: "", state: "kept", words: kind });

it("several whole brackets are merged each by itself, without the masters that stand in them", () => {
  const picked = [frame(1, 7), frame(2, 7), frame(3, 7, { made: "bracket" }), frame(4, 8), frame(5, 8)];
  expect(bracketsOf(picked, [set(7, "bracket"), set(8, "bracket")])).toEqual([
    [1, 2],
    [4, 5],
  ]);
});

it("anything else is one merge, of camera files only", () => {
  expect(bracketsOf([frame(1, 7), frame(2, 7), frame(3, 0)], [set(7, "bracket")])).toEqual([[1, 2, 3]]);
  expect(
    bracketsOf([frame(1, 7), frame(2, 7), frame(4, 8), frame(5, 8)], [set(7, "bracket"), set(8, "sweep")]),
  ).toEqual([[1, 2, 4, 5]]);
  expect(bracketsOf([frame(1, 0), frame(2, 0, { raw: false })], [])).toEqual([[1]]);
});
