import { act } from "react";
import { createRoot } from "react-dom/client";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import type { Frame } from "../../api/client";
import { MERGE_PLAIN } from "../../api/generated/recipe";
import { begun, type Draft, draftKey, keep, redone, stepped, undone, useDraft } from "./draft";
import type { FocusOptions } from "./judgement";

vi.stubGlobal("IS_REACT_ACT_ENVIRONMENT", true);

const start: Draft = { options: MERGE_PLAIN.focus, look: "plain" };
const painted = (count: number): Draft => ({
  ...start,
  options: {
    ...(start.options as FocusOptions),
    touches: Array.from({ length: count }, () => ({ frame: 1, radius: 0.02, points: [[0.5, 0.5]] })),
  },
});
const strokes = (draft: Draft | null) => (draft?.options as FocusOptions | undefined)?.touches?.length;

beforeEach(() => localStorage.clear());
afterEach(() => vi.restoreAllMocks());

it("each change is one step back, and what changes nothing is none", () => {
  let trail = begun("a", start);
  expect(stepped(trail, { ...start })).toBe(trail);
  for (const count of [1, 2, 3]) trail = stepped(trail, painted(count));
  trail = undone(undone(trail));
  expect([strokes(trail.now), trail.past.length, trail.future.length]).toEqual([1, 1, 2]);
  expect(strokes(redone(trail).now)).toBe(2);
  expect(redone(redone(redone(trail))).now).toEqual(painted(3));
  expect(undone(undone(undone(trail))).now).toEqual(start);
  // something else after a step back: what was taken back is gone
  expect(stepped(trail, { ...painted(1), look: "deep" }).future).toEqual([]);
});

it("is kept under frames of this content, this kind, and begins as one step from the start", () => {
  keep("a", painted(2));
  const again = begun("a", start);
  expect([strokes(again.now), again.past]).toEqual([2, [start]]);
  expect(begun("b", start).now).toBe(start);
  keep("a", null);
  expect(begun("a", start).now).toBe(start);
  expect(localStorage.length).toBe(0);
  const frames = ["0123456789abcdef01", "fedcba9876543210fe"].map((content_hash) => ({ content_hash }) as Frame);
  const keys = [
    draftKey(frames, "focus", undefined),
    draftKey(frames, "series", undefined),
    draftKey(frames, "focus", 7),
    draftKey([...frames].reverse(), "focus", undefined),
    draftKey(frames.slice(1), "focus", undefined),
  ];
  expect(new Set(keys).size).toBe(5);
});

it("keeps the newest, less of them where there is no room, and never fails", () => {
  for (let i = 0; i < 20; i++) keep(`table ${i}`, painted(1));
  keep("table 10", painted(2));
  expect([strokes(begun("table 19", start).now), strokes(begun("table 10", start).now)]).toEqual([1, 2]);
  expect(begun("table 3", start).now).toBe(start);
  const set = vi.spyOn(Storage.prototype, "setItem");
  set.mockImplementation(function (this: Storage, key: string, value: string) {
    if (value.length > 1000) throw new DOMException("full", "QuotaExceededError");
    set.mockRestore();
    this.setItem(key, value);
  });
  keep("new", painted(3));
  expect(strokes(begun("new", start).now)).toBe(3);
  vi.spyOn(Storage.prototype, "setItem").mockImplementation(() => {
    throw new DOMException("no", "SecurityError");
  });
  keep("other", painted(1));
  vi.restoreAllMocks();
  localStorage.setItem("zincplate.merges", "{broken");
  expect(begun("new", start).now).toBe(start);
  localStorage.setItem("zincplate.merges", JSON.stringify([["a", { options: { kind: "series" }, look: "plain" }]]));
  expect(begun("a", start).now).toBe(start);
});

it("what an older page kept is filled up from the start, without what is known no more", () => {
  const old = { options: { kind: "focus", align: false, gone: 1 }, gone: 2 };
  localStorage.setItem("zincplate.merges", JSON.stringify([["a", old]]));
  expect(begun("a", start).now).toEqual({ options: { ...start.options, align: false }, look: "plain" });
});

it("a table waits for its frames and its start, keeps what is set, and begins anew with other frames", async () => {
  let shown!: ReturnType<typeof useDraft>;
  const Table = ({ name, from }: { name: string | null; from: Draft | null }) => {
    shown = useDraft(name, from);
    return null;
  };
  const root = createRoot(document.createElement("div"));
  const show = (name: string | null, from: Draft | null) =>
    act(async () => root.render(<Table name={name} from={from} />));
  await show(null, start);
  expect(shown.draft).toBeNull();
  await show("a", null);
  expect(shown.draft).toBeNull();
  await show("a", start);
  expect([shown.draft, shown.undo, shown.redo]).toEqual([start, null, null]);
  await act(async () => shown.set(painted(1)));
  await act(async () => shown.set({ look: "deep" }));
  expect([strokes(shown.draft), shown.draft?.look]).toEqual([1, "deep"]);
  expect(strokes(begun("a", start).now)).toBe(1);
  await act(async () => shown.undo?.());
  expect(begun("a", start).now).toEqual(painted(1));
  await act(async () => shown.redo?.());
  expect(shown.draft?.look).toBe("deep");
  await show("b", start);
  expect([shown.draft, shown.undo]).toEqual([start, null]);
  expect(strokes(begun("a", start).now), "of the other frames").toBe(1);
  await show("a", start);
  expect(strokes(shown.draft)).toBe(1);
  for (let i = 0; i < 3; i++) await act(async () => shown.undo?.());
  expect(shown.draft).toEqual(start);
  expect(localStorage.length, "as at the start: nothing is kept").toBe(0);
  await act(async () => root.unmount());
});
