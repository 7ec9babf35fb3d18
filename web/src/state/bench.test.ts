import { beforeEach, expect, it, vi } from "vitest";
import { NEUTRAL, type Recipe } from "../api/generated/recipe";
import { useBench } from "./bench";
import { useNotices } from "./notices";

/** A server with one version: keeps revisions, refuses stale ones. */
function server() {
  const state = {
    id: 7,
    frame: 3,
    number: 1,
    name: "",
    revision: 0,
    position: 0,
    adjusted: false,
    recipe: structuredClone(NEUTRAL.raw),
    history: [{ position: 0, words: "Brought in", at: "" }],
  };
  const saved: Recipe[] = [];
  const answer = (status: number, body: unknown) =>
    new Response(JSON.stringify(body), { status, headers: { "Content-Type": "application/json" } });
  const fetcher = vi.fn(async (request: Request) => {
    await new Promise((done) => setTimeout(done, 5));
    if (request.method === "GET") return answer(200, state);
    const body = await request.json();
    if (body.revision !== state.revision)
      return answer(409, { error: "changed elsewhere", fields: {}, current: state });
    if (request.url.endsWith("/position")) state.position = body.position;
    else {
      if (body.recipe.tone.exposure_ev > 5) return answer(422, { error: "too much", fields: {} });
      state.recipe = body.recipe;
      saved.push(body.recipe);
      state.position += 1;
      state.history.push({ position: state.position, words: "changed", at: "" });
    }
    state.revision += 1;
    return answer(200, structuredClone(state));
  });
  return { state, saved, fetcher };
}

const exposure = (ev: number) => (r: Recipe) => ({ ...r, tone: { ...r.tone, exposure_ev: ev } });
const settled = () => new Promise((done) => setTimeout(done, 60));
let now: ReturnType<typeof server>;

beforeEach(async () => {
  now = server();
  // the client takes the fetch of the moment; addresses need an origin outside a browser
  vi.stubGlobal("fetch", now.fetcher);
  useNotices.setState({ list: [] });
  await useBench.getState().open(3, 7);
});

it("saves quick changes one after the other and never goes back", async () => {
  const { save } = useBench.getState();
  for (const ev of [0.05, 0.1, 0.15, 0.2]) save(exposure(ev));
  expect(useBench.getState().draft?.tone.exposure_ev).toBe(0.2);
  await settled();
  expect(useBench.getState().draft?.tone.exposure_ev).toBe(0.2);
  expect(now.state.recipe.tone.exposure_ev).toBe(0.2);
  expect(now.saved.length).toBeLessThan(4);
});

it("keeps what a hand is dragging while an older change is being saved", async () => {
  const { save, edit, cancel } = useBench.getState();
  save(exposure(0.5));
  edit(exposure(0.9));
  await settled();
  expect(useBench.getState().draft?.tone.exposure_ev).toBe(0.9);
  expect(useBench.getState().version?.recipe.tone.exposure_ev).toBe(0.5);
  cancel();
  expect(useBench.getState().draft?.tone.exposure_ev).toBe(0.5);
});

it("shows the current state when another tab was faster", async () => {
  now.state.revision = 4;
  now.state.recipe = exposure(1.5)(now.state.recipe);
  useBench.getState().save(exposure(0.3));
  await settled();
  expect(useBench.getState().draft?.tone.exposure_ev).toBe(1.5);
  expect(useBench.getState().version?.revision).toBe(4);
  expect(useNotices.getState().list.map((n) => n.text)).toEqual(["changed elsewhere"]);
});

it("takes back what the server refuses", async () => {
  useBench.getState().save(exposure(9));
  await settled();
  expect(useBench.getState().draft?.tone.exposure_ev).toBe(0);
  expect(useNotices.getState().list[0]?.bad).toBe(true);
});

it("undoes and redoes along the history only as far as it goes", async () => {
  useBench.getState().save(exposure(0.3));
  await settled();
  useBench.getState().redo();
  useBench.getState().undo();
  await settled();
  expect(now.state.position).toBe(0);
  useBench.getState().undo();
  await settled();
  expect(now.state.position).toBe(0);
  useBench.getState().redo();
  await settled();
  expect(now.state.position).toBe(1);
});

it("says so when the server is not there, and keeps the change in sight", async () => {
  now.fetcher.mockImplementationOnce(async () => {
    throw new TypeError("offline");
  });
  useBench.getState().save(exposure(0.7));
  await settled();
  expect(useNotices.getState().list[0]?.text).toContain("does not answer");
  expect(useBench.getState().draft?.tone.exposure_ev).toBe(0.7);
});
