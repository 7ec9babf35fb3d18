import { expect, it } from "vitest";
import type { Place } from "../../../canvas/strokes";
import { type Steps, stepped } from "./stepped";

const RIGHT: Place = [1, 0];

it("a press before the last answer goes on from where that one leads, with the thing as it was", () => {
  const first = stepped<string>(null, "middle", "old", [10, 5], RIGHT);
  expect(first).toEqual({ name: "middle", base: "old", from: [10, 5], to: [11, 5], open: 1 });
  // the picture shows the first step already, its answer for the second has not come
  const second = stepped(first, "middle", "new", [11, 5], RIGHT);
  expect(second).toEqual({ name: "middle", base: "old", from: [10, 5], to: [12, 5], open: 2 });
});

it("with nothing open, or on another handle, it begins at what is seen", () => {
  const done: Steps<string> = { name: "middle", base: "old", from: [10, 5], to: [12, 5], open: 0 };
  expect(stepped(done, "middle", "new", [12, 5], RIGHT)).toMatchObject({ base: "new", from: [12, 5], to: [13, 5] });
  const other = { ...done, open: 2 };
  expect(stepped(other, "edge", "new", [3, 3], RIGHT)).toMatchObject({
    name: "edge",
    base: "new",
    from: [3, 3],
    open: 1,
  });
});
