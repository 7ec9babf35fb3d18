import { expect, it } from "vitest";
import { LEFT_OUT_BY_HAND, MERGE_PLAIN } from "../../api/generated/recipe";
import { type BracketOptions, called, isOn, type Report, switched } from "./judgement";

it("a frame that is switched by hand is in one list only, and what is left out is no reference", () => {
  const off = switched({ ...MERGE_PLAIN.bracket, reference: 2, take: [2] }, 2, false) as BracketOptions;
  expect([off.leave_out, off.take, off.reference]).toEqual([[2], [], null]);
  const on = switched(off, 2, true) as BracketOptions;
  expect([on.leave_out, on.take, on.reference]).toEqual([[], [2], null]);
  const other = switched({ ...MERGE_PLAIN.bracket, reference: 1 }, 0, false) as BracketOptions;
  expect([other.leave_out, other.reference]).toEqual([[0], 1]);
  expect(switched(other, 0, false).leave_out).toEqual([0]);
});

it("a frame of a panorama is in or out, and nothing else changes", () => {
  const off = switched({ ...MERGE_PLAIN.panorama, projection: "flat" }, 1, false);
  expect(off).toEqual({ ...MERGE_PLAIN.panorama, projection: "flat", leave_out: [1] });
  expect(switched(off, 1, true).leave_out).toEqual([]);
});

it("a switch shows at once what the hand did, and what came of it once that is known", () => {
  const row = (takes_part: boolean, reason = "") => ({ takes_part, reason }) as Report["frames"][number];
  const plain = MERGE_PLAIN.series;
  expect(isOn(plain, 1, undefined, false)).toBe(true);
  expect(isOn(plain, 1, row(false, "shaken by 9 px"), false)).toBe(false);
  const off = switched(plain, 1, false);
  expect(isOn(off, 1, undefined, false)).toBe(false);
  expect(isOn(off, 1, row(true), false)).toBe(false);
  expect(isOn(off, 1, row(true), true)).toBe(false);
  const on = switched(off, 1, true);
  expect(isOn(on, 1, row(false, LEFT_OUT_BY_HAND), false)).toBe(true);
  expect(isOn(on, 1, row(false, "it does not lie on the others"), false)).toBe(true);
  expect(isOn(on, 1, row(false, "it does not lie on the others"), true)).toBe(false);
  // a panorama knows no frames that are taken whatever is wrong with them
  expect(isOn(MERGE_PLAIN.panorama, 1, row(false, LEFT_OUT_BY_HAND), false)).toBe(true);
  expect(isOn(MERGE_PLAIN.panorama, 1, row(false, "it does not connect"), false)).toBe(false);
});

it("a frame of a series is what it is called, until that is taken back", () => {
  expect(called({}, 3, "dark")).toEqual({ 3: "dark" });
  expect(called({ 1: "flat", 3: "dark" }, 3, "light")).toEqual({ 1: "flat", 3: "light" });
  expect(called({ 1: "flat", 3: "dark" }, 3, null)).toEqual({ 1: "flat" });
  expect(called({}, 3, null)).toEqual({});
});
