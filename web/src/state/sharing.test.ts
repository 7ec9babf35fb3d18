import { expect, it } from "vitest";
import { sharing } from "./equal";

const copy = <T>(value: T): T => JSON.parse(JSON.stringify(value));

it("what is equal is the same object again", () => {
  const before = { tone: { exposure_ev: 1 }, passes: { passes: [{ id: "a", points: [1, 2, 3] }] } };
  expect(sharing(before, copy(before))).toBe(before);
});

it("only what has changed is new, and items are found by their ids", () => {
  const before = {
    list: [
      { id: "a", points: [1, 2] },
      { id: "b", points: [3] },
    ],
    tone: {
      ev: 0,
      curve: [
        [0, 0],
        [1, 1],
      ],
    },
  };
  const after = copy(before);
  after.list.reverse();
  after.tone.ev = 2;
  const found = sharing(before, after);
  expect(found).toEqual(after);
  expect(found.list[0]).toBe(before.list[1]);
  expect(found.list[1]).toBe(before.list[0]);
  expect(found.list).not.toBe(before.list);
  expect(found.tone).not.toBe(before.tone);
  expect(found.tone.curve).toBe(before.tone.curve);
});

it("more, fewer and other kinds of values are told from equal ones", () => {
  for (const [before, after] of [
    [
      [1, 2],
      [1, 2, 3],
    ],
    [[{ id: "a" }], [{ id: "a" }, { id: "b" }]],
    [{ a: 1, b: 2 }, { a: 1 }],
    [{ a: 1 }, { a: 1, b: undefined }],
    [{ a: [] }, { a: {} }],
    [{ a: null }, { a: {} }],
    ["1", 1],
  ] as const)
    expect(sharing(before, after as unknown)).toStrictEqual(after);
});
