import { expect, it } from "vitest";
import { MERGE_PLAIN } from "../../api/generated/recipe";
import { type BracketOptions, switched } from "./judgement";

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
