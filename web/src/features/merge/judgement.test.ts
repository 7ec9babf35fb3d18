import { expect, it } from "vitest";
import { PLAIN, switched } from "./judgement";

it("a frame that is switched by hand is in one list only, and what is left out is no reference", () => {
  const off = switched({ ...PLAIN, reference: 2, take: [2] }, 2, false);
  expect([off.leave_out, off.take, off.reference]).toEqual([[2], [], null]);
  const on = switched(off, 2, true);
  expect([on.leave_out, on.take, on.reference]).toEqual([[], [2], null]);
  const other = switched({ ...PLAIN, reference: 1 }, 0, false);
  expect([other.leave_out, other.reference]).toEqual([[0], 1]);
  expect(switched(other, 0, false).leave_out).toEqual([0]);
});
