import { beforeEach, expect, it, vi } from "vitest";
import type { ApiError } from "../api/client";
import type { Recipe } from "../api/generated/recipe";
import { useBench } from "./bench";
import { useNotices } from "./notices";
import { queryClient } from "./queries";
import { waitingNow } from "./savers";
import { VersionForTests } from "./server_for_tests";
import { inTurn, whenRested } from "./turns";

const answer = (status: number, body: unknown) =>
  new Response(JSON.stringify(body), { status, headers: { "Content-Type": "application/json" } });

/** Two frames' versions behind the page's own requests; every answer takes a moment. */
function server() {
  const versions = new Map([7, 8].map((id) => [id, new VersionForTests(id)]));
  const saved: { version: number; deed: string }[] = [];
  const fetcher = vi.fn(async (request: Request) => {
    const body = request.method === "GET" ? null : await request.json();
    await new Promise((done) => setTimeout(done, 5));
    const version = versions.get(Number(/versions\/(\d+)/.exec(request.url)?.[1])) as VersionForTests;
    if (!body) return answer(200, version.state());
    const { values, switches, gesture } = body;
    const deed = body.do === "set" ? { do: "set", patch: { values, switches }, gesture } : body;
    saved.push({ version: version.id, deed: body.do });
    try {
      return answer(200, version.change(body.revision, { id: body.id, deed }));
    } catch (error) {
      const { status, message, current } = error as ApiError;
      return answer(status, { error: message, fields: {}, current });
    }
  });
  return { versions, saved, fetcher, of: (id: number) => versions.get(id) as VersionForTests };
}

const exposure = (ev: number) => (r: Recipe) => ({ ...r, tone: { ...r.tone, exposure_ev: ev } });
const contrast = (n: number) => (r: Recipe) => ({ ...r, tone: { ...r.tone, contrast: n } });
/** Until nothing waits, however slow the machine is; what a server that is away leaves waiting is looked at after a moment. */
const settled = async () => {
  await new Promise((done) => setTimeout(done, 60));
  const end = performance.now();
  const away = () => useNotices.getState().list.some((n) => n.text.includes("does not answer"));
  while (waitingNow() > 0 && !away()) {
    await new Promise((done) => setTimeout(done, 5));
    if (performance.now() > end + 5000) throw new Error("changes wait and nothing happens");
  }
  await new Promise((done) => setTimeout(done, 10));
};
const bench = () => useBench.getState();
let now: ReturnType<typeof server>;

beforeEach(async () => {
  await settled();
  now = server();
  // the client takes the fetch of the moment; addresses need an origin outside a browser
  vi.stubGlobal("fetch", now.fetcher);
  useNotices.setState({ list: [] });
  // another frame first: what a test before this one left open is let go
  await bench().open(4, 8);
  await bench().open(3, 7);
});

it("makes one step of a control that is stepped quickly, and one for each control otherwise", async () => {
  for (const ev of [0.05, 0.1, 0.15, 0.2]) bench().save(exposure(ev));
  bench().save(contrast(5));
  bench().save(exposure(0.3));
  expect(bench().draft?.tone).toMatchObject({ exposure_ev: 0.3, contrast: 5 });
  await settled();
  expect(bench().draft?.tone).toMatchObject({ exposure_ev: 0.3, contrast: 5 });
  expect(now.of(7).steps.map((s) => s.recipe.tone.exposure_ev)).toEqual([0, 0.2, 0.2, 0.3]);
  bench().undo();
  bench().undo();
  await settled();
  expect(now.of(7).recipe.tone).toMatchObject({ exposure_ev: 0.2, contrast: 0 });
  expect(bench().draft?.tone).toMatchObject({ exposure_ev: 0.2, contrast: 0 });
});

it("begins a new gesture after an undo", async () => {
  bench().save(exposure(0.1));
  bench().save(contrast(5));
  bench().undo();
  bench().save(contrast(6));
  await settled();
  expect(now.of(7).steps.map((s) => s.recipe.tone.contrast)).toEqual([0, 0, 6]);
});

it("saves what was done on a frame after the next one is open", async () => {
  bench().save(exposure(0.5));
  bench().save(contrast(9));
  const opening = bench().open(4, 8);
  expect(bench().draft).toBeNull();
  await opening;
  bench().save(exposure(-1));
  await settled();
  expect(now.of(7).recipe.tone).toMatchObject({ exposure_ev: 0.5, contrast: 9 });
  expect(now.of(8).recipe.tone).toMatchObject({ exposure_ev: -1, contrast: 0 });
  expect(bench().draft?.tone.exposure_ev).toBe(-1);
});

it("shows what still waits when one comes back to a frame at once", async () => {
  bench().save(exposure(0.5));
  await bench().open(4, 8);
  bench().save(exposure(0.7));
  await bench().open(3, 7);
  expect(bench().draft?.tone.exposure_ev).toBe(0.5);
  await settled();
  expect(bench().version?.recipe.tone.exposure_ev).toBe(0.5);
});

it("shows nothing of the frame before: values under the pointer, what it was drawn in, samplers", async () => {
  const pixel = { rgb: [1, 2, 3], lab: [0, 0, 0] };
  useBench.setState({ pixel, drawMs: 40, samplers: [{ x: 1, y: 2 }], tool: "tone" } as never);
  const opened = bench().open(8, 8);
  expect(bench()).toMatchObject({ frame: 8, draft: null, pixel: null, drawMs: null, samplers: [], tool: "hand" });
  await opened;
});

it("gives an answer that comes late to the frame it was asked for", async () => {
  const { save } = bench().forThis();
  await bench().open(4, 8);
  save(exposure(0.4));
  await settled();
  expect([now.of(7).recipe.tone.exposure_ev, now.of(8).recipe.tone.exposure_ev]).toEqual([0.4, 0]);
  const { save: here } = bench().forThis();
  here(exposure(0.6));
  expect(bench().draft?.tone.exposure_ev).toBe(0.6);
  await settled();
  expect(now.of(8).recipe.tone.exposure_ev).toBe(0.6);
});

it("keeps what a hand is dragging while an older change is being saved, or refused", async () => {
  bench().save(contrast(5));
  bench().save(exposure(9));
  bench().edit((r) => ({ ...r, balance: { ...r.balance, tint: 12 } }));
  await settled();
  expect(bench().draft?.balance.tint).toBe(12);
  expect(bench().draft?.tone).toMatchObject({ exposure_ev: 0, contrast: 5 });
  expect(useNotices.getState().list[0]?.bad).toBe(true);
  bench().save();
  await settled();
  expect(now.of(7).recipe.balance.tint).toBe(12);
  expect(now.of(7).steps.length).toBe(3);
});

it("saves a change made by another way without what a hand holds", async () => {
  bench().edit(exposure(0.9));
  bench().save(contrast(5));
  await settled();
  expect(now.of(7).recipe.tone).toMatchObject({ exposure_ev: 0, contrast: 5 });
  expect(bench().draft?.tone.exposure_ev).toBe(0.9);
  bench().cancel();
  expect(bench().draft?.tone.exposure_ev).toBe(0);
});

it("keeps another tab's change of another control, and says so", async () => {
  now.of(7).change(0, {
    id: "x",
    deed: { do: "set", patch: { values: { tone: { contrast: 20 } }, switches: {} }, gesture: "" },
  });
  bench().save(exposure(0.3));
  await settled();
  expect(bench().draft?.tone).toMatchObject({ exposure_ev: 0.3, contrast: 20 });
  expect(useNotices.getState().list.map((n) => n.text)).toEqual([
    "This version was changed elsewhere too. Both changes are in it now.",
  ]);
});

it("undoes and redoes along the history only as far as it goes", async () => {
  bench().save(exposure(0.3));
  await settled();
  bench().redo();
  bench().undo();
  bench().undo();
  await settled();
  expect(now.of(7).position).toBe(0);
  expect(bench().mayUndo).toBe(false);
  bench().redo();
  bench().redo();
  await settled();
  expect(now.of(7).position).toBe(1);
  expect(now.saved.map((s) => s.deed)).toEqual(["set", "undo", "redo"]);
});

it("sends nothing for a change that changes nothing", async () => {
  bench().save(exposure(0));
  bench().save((r) => ({ ...r, off: [...r.off] }));
  await settled();
  expect(now.saved).toEqual([]);
});

it("says so when the server is not there, keeps the change in sight and sends it again", async () => {
  now.fetcher.mockImplementationOnce(async () => {
    throw new TypeError("offline");
  });
  bench().save(exposure(0.7));
  await settled();
  expect(useNotices.getState().list[0]?.text).toContain("does not answer");
  expect(bench().draft?.tone.exposure_ev).toBe(0.7);
  await vi.waitFor(() => expect(now.of(7).recipe.tone.exposure_ev).toBe(0.7), 3000);
});

it("takes back what was done last, also while the server still works it out", async () => {
  bench().save(exposure(0.5));
  let answer = () => {};
  const { save } = bench().forThis();
  const late = inTurn(async () => {
    await new Promise<void>((done) => {
      answer = done;
    });
    save(contrast(7));
  });
  bench().undo();
  await vi.waitFor(() => answer());
  await Promise.resolve();
  answer();
  await late;
  await settled();
  expect(bench().version?.recipe.tone).toMatchObject({ exposure_ev: 0.5, contrast: 0 });
});

it("a step whose hand has not rested yet is saved before another frame opens", async () => {
  const on = bench().forThis();
  whenRested("step", () => on.save(exposure(0.9)));
  await bench().open(4, 8);
  await settled();
  expect(now.of(7).recipe.tone.exposure_ev).toBe(0.9);
  expect(now.of(8).recipe.tone.exposure_ev).toBe(0);
});

it("names the frame when something is told of one that is not in sight", async () => {
  queryClient.setQueryData(["frames", 1], { frames: [{ id: now.of(7).state().frame, name: "TW-0007.dng" }] });
  bench().save(exposure(0.5));
  await bench().open(4, 8);
  now.of(7).change(0, {
    id: "other",
    deed: { do: "set", patch: { values: { tone: { contrast: 9 } }, switches: {} }, gesture: "" },
  });
  await settled();
  const told = useNotices.getState().list.map((n) => n.text);
  expect(told).not.toEqual([]);
  expect(told.filter((text) => !text.startsWith("TW-0007.dng: "))).toEqual([]);
  expect(now.of(7).steps.at(-1)?.recipe.tone.exposure_ev).toBe(0.5);
});
