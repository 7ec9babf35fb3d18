import { expect, it } from "vitest";
import type { Frame } from "../../api/client";
import { FILTERS, type Filter, matches, next } from "./selection";

const frame = (more: Partial<Frame>): Frame =>
  ({ id: 1, mark: "", stars: 0, adjusted: false, delivered: 0, ...more }) as Frame;

it("every filter takes what its name says and nothing else", () => {
  const frames = {
    plain: frame({}),
    kept: frame({ mark: "keep" }),
    maybe: frame({ mark: "maybe" }),
    dropped: frame({ mark: "drop" }),
    adjusted: frame({ adjusted: true }),
    delivered: frame({ delivered: 2 }),
  };
  const taken = (filter: Filter) =>
    Object.entries(frames)
      .filter(([, f]) => matches(f, filter, 0))
      .map(([name]) => name);
  expect(taken("all")).toHaveLength(6);
  expect(taken("keep")).toEqual(["kept"]);
  expect(taken("maybe")).toEqual(["maybe"]);
  expect(taken("drop")).toEqual(["dropped"]);
  expect(taken("unmarked")).toEqual(["plain", "adjusted", "delivered"]);
  expect(taken("adjusted")).toEqual(["adjusted"]);
  expect(taken("delivered")).toEqual(["delivered"]);
  expect(FILTERS.map(([key]) => key)).toEqual(["all", "keep", "maybe", "drop", "unmarked", "adjusted", "delivered"]);
});

it("stars narrow every filter", () => {
  expect(matches(frame({ mark: "keep", stars: 2 }), "keep", 3)).toBe(false);
  expect(matches(frame({ mark: "keep", stars: 3 }), "keep", 3)).toBe(true);
  expect(matches(frame({ stars: 2 }), "all", 3)).toBe(false);
});

it("moving stops at the ends and starts at the first", () => {
  const list = [{ id: 4 }, { id: 9 }, { id: 2 }];
  expect(next(list, 9, 1)).toEqual({ id: 2 });
  expect(next(list, 9, -1)).toEqual({ id: 4 });
  expect(next(list, 4, -1)).toBeNull();
  expect(next(list, 2, 1)).toBeNull();
  expect(next(list, 4, 5)).toBeNull();
  expect(next(list, 77, 1)).toEqual({ id: 4 });
  expect(next([], null, 1)).toBeNull();
});
