import { expect, it } from "vitest";
import { brought, type Frame, type Frames, inTime, rowsOf } from "./frames";

type Answer = Parameters<typeof brought>[1];
const row = (id: number, captured_at: string, more: Partial<Frame> = {}): Frame =>
  ({ id, captured_at, name: `TW-${id}`, stars: 0, ...more }) as Frame;

/** An answer of the server that holds these rows. */
function answer(rows: Frame[], removed: number[] = [], stamp = "2"): Answer {
  const names = Object.keys(rows[0] ?? row(0, "")) as (keyof Frame)[];
  const columns = Object.fromEntries(names.map((n) => [n, rows.map((r) => r[n])]));
  return { id: 1, name: "Glaze", stamp, columns, removed, sets: [], watched: "", refusals: [] } as unknown as Answer;
}

const before: Frames = {
  id: 1,
  name: "Glaze",
  stamp: "1",
  refusals: [],
  sets: [],
  watched: "",
  frames: [row(1, "2026-05-01"), row(2, "2026-05-02"), row(3, "")],
};

it("columns become rows in the same order", () => {
  const rows = [row(5, "a", { stars: 3 }), row(4, "b")];
  expect(rowsOf(answer(rows).columns)).toEqual(rows);
  expect(brought(undefined, answer(rows)).frames).toEqual(rows);
});

it("what changed replaces its row, and the others stay the same objects", () => {
  const after = brought(before, answer([row(2, "2026-05-02", { stars: 4 })]));
  expect(after.frames.map((f) => [f.id, f.stars])).toEqual([
    [1, 0],
    [2, 4],
    [3, 0],
  ]);
  expect(after.frames[0]).toBe(before.frames[0]);
  expect(after.stamp).toBe("2");
});

it("new frames come in by their time, removed ones go, and one that is both new and removed does not come", () => {
  const after = brought(before, answer([row(9, "2026-05-01T12"), row(8, "")], [1]));
  expect(after.frames.map((f) => f.id)).toEqual([9, 2, 3, 8]);
});

it("nothing new keeps the list itself, so that nothing is drawn again", () => {
  const after = brought(before, answer([]));
  expect(after.frames).toBe(before.frames);
});

it("frames without a time come last, equal times by name and number", () => {
  const list = [row(3, ""), row(2, "b", { name: "x" }), row(1, "b", { name: "x" }), row(4, "b", { name: "a" })];
  expect(list.sort(inTime).map((f) => f.id)).toEqual([4, 1, 2, 3]);
});
