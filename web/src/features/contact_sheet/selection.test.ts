import { expect, it } from "vitest";
import type { Frame } from "../../api/client";
import {
  countsOf,
  EVERYTHING,
  FILTERS,
  type Filter,
  foldersOf,
  matches,
  next,
  ordered,
  passing,
  same,
  stepOf,
} from "./selection";

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
      .filter(([, f]) => matches(f, { ...EVERYTHING, filter }))
      .map(([name]) => name);
  expect(taken("all")).toHaveLength(6);
  expect(taken("keep")).toEqual(["kept"]);
  expect(taken("maybe")).toEqual(["maybe"]);
  expect(taken("drop")).toEqual(["dropped"]);
  expect(taken("unmarked")).toEqual(["plain", "adjusted", "delivered"]);
  expect(FILTERS.map(([key]) => key)).toEqual(["all", "keep", "maybe", "drop", "unmarked"]);
});

it("adjusted, delivered and in a set combine with the marks and with each other, each both ways", () => {
  const one = frame({ mark: "keep", adjusted: true, passes: true, repairs: true, delivered: 2, set: 7 });
  const plain = frame({ mark: "keep", adjusted: false, passes: false, repairs: false, delivered: 0, set: 0 });
  for (const key of ["adjusted", "passes", "repairs", "delivered", "inSet"] as const) {
    const kept = (value: boolean) => ({ ...EVERYTHING, filter: "keep" as const, [key]: value });
    expect([matches(one, kept(true)), matches(plain, kept(true))]).toEqual([true, false]);
    expect([matches(one, kept(false)), matches(plain, kept(false))]).toEqual([false, true]);
    expect(matches({ ...one, mark: "drop" }, kept(true))).toBe(false);
  }
  expect(matches(one, { ...EVERYTHING, adjusted: true, inSet: false })).toBe(false);
});

it("a folder takes what stands in it and below, no other that begins alike; the empty one what stands in none", () => {
  const inside = (folder: string, wanted: string | null) =>
    matches(frame({ folder }), { ...EVERYTHING, folder: wanted });
  expect(inside("kiln", "kiln") && inside("kiln/door", "kiln") && inside("", "") && inside("kiln", null)).toBe(true);
  expect(inside("kilns", "kiln") || inside("", "kiln") || inside("kiln", "") || inside("kiln", "kiln/door")).toBe(
    false,
  );
  const all = ["b/c", "", "a", "b/c"].map((folder) => frame({ folder }));
  expect(foldersOf(all)).toEqual(["a", "b", "b/c"]);
});

it("counts are those of the filters, and what asks for nothing is the list itself", () => {
  const all = [
    frame({ id: 1, mark: "keep", adjusted: true }),
    frame({ id: 2, delivered: 3 }),
    frame({ id: 3, mark: "drop" }),
    frame({ id: 4, mark: "maybe", adjusted: true }),
    frame({ id: 5, mark: "keep" }),
  ];
  const counts = countsOf(all);
  for (const [filter] of FILTERS) expect(counts[filter]).toBe(passing(all, { ...EVERYTHING, filter }, null).length);
  expect([counts.adjusted, counts.delivered]).toEqual([2, 1]);
  expect(passing(all, { ...EVERYTHING }, null)).toBe(all);
  expect(passing(all, { ...EVERYTHING }, new Set([2, 9])).map((f) => f.id)).toEqual([2]);
  expect(passing(all, { ...EVERYTHING, adjusted: true }, new Set([1, 2])).map((f) => f.id)).toEqual([1]);
});

it("stars narrow every filter", () => {
  expect(matches(frame({ mark: "keep", stars: 2 }), { ...EVERYTHING, filter: "keep", stars: 3 })).toBe(false);
  expect(matches(frame({ mark: "keep", stars: 3 }), { ...EVERYTHING, filter: "keep", stars: 3 })).toBe(true);
  expect(matches(frame({ stars: 2 }), { ...EVERYTHING, stars: 3 })).toBe(false);
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
  // a screen further, or to an end, stops at the last one
  expect(next(list, 9, 5, 4)).toEqual({ id: 2 });
  expect(next(list, 9, -5, 4)).toEqual({ id: 4 });
  expect(next(list, 9, 3, 4)).toBeNull();
  expect(next(list, 9, stepOf("End", 3, 2) ?? 0)).toEqual({ id: 2 });
  expect(next(list, 9, stepOf("Home", 3, 2) ?? 0)).toEqual({ id: 4 });
  expect(next([], null, Number.POSITIVE_INFINITY)).toBeNull();
  expect(["ArrowDown", "ArrowUp", "PageDown", "PageUp", "k"].map((key) => stepOf(key, 7, 3))).toEqual([
    7,
    -7,
    21,
    -21,
    undefined,
  ]);
});

it("label, camera, lens and kind each narrow by themselves and together", () => {
  const one = frame({ label: "print", camera: "Field 6", lens: "52 mm", raw: true });
  expect(matches(one, { ...EVERYTHING, label: "print", camera: "Field 6", lens: "52 mm", kind: "raw" })).toBe(true);
  for (const other of [{ label: "web" }, { camera: "Rove 4" }, { lens: "28 mm" }, { kind: "finished" as const }])
    expect(matches(one, { ...EVERYTHING, ...other })).toBe(false);
  expect(matches(frame({ raw: false }), { ...EVERYTHING, kind: "finished" })).toBe(true);
});

it("every order puts first what its name says and leaves equals in time", () => {
  const plain = {
    exposure_time_s: 0.01,
    iso: 100,
    f_number: 4,
    camera: "B",
    lens: "",
    folder: "",
    changed_at: "2026-01-01",
  };
  const a = frame({ id: 1, name: "TW-10", mark: "drop", stars: 1, hand_place: null, ...plain });
  const b = frame({
    id: 2,
    name: "TW-9",
    mark: "keep",
    stars: 5,
    ...plain,
    exposure_time_s: 0.02,
    camera: "A",
    hand_place: 2,
  });
  const c = frame({
    id: 3,
    name: "TW-10",
    mark: "",
    stars: 1,
    ...plain,
    f_number: 0,
    changed_at: "2026-02-01",
    hand_place: -1,
  });
  const by = (order: Parameters<typeof ordered>[1]) => ordered([a, b, c], order).map((f) => f.id);
  expect(by("time")).toEqual([1, 2, 3]);
  expect(by("name")).toEqual([2, 1, 3]);
  expect(by("mark")).toEqual([2, 3, 1]);
  expect(by("stars")).toEqual([2, 1, 3]);
  expect(by("exposure")).toEqual([1, 2, 3]);
  expect(by("camera")).toEqual([2, 1, 3]);
  expect(by("changed")).toEqual([3, 1, 2]);
  expect(by("hand")).toEqual([3, 2, 1]);
  expect(same([a, b, c], a, "stars")).toEqual([1, 3]);
});
