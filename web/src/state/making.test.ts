import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { api, type Job } from "../api/client";
import { useJobs } from "./jobs";
import { startedMaking, tellMade, useMaking } from "./making";
import { useNotices } from "./notices";

const job = (id: string, state: Job["state"]) => ({ id, state, kind: "merge" }) as Job;
const said = () => useNotices.getState().list.map((n) => n.text);

beforeEach(() => {
  useMaking.setState({}, true);
  useNotices.setState({ list: [] });
  useJobs.setState({ jobs: [] });
  vi.spyOn(api, "GET").mockImplementation((async () => ({
    data: { result: { frame: 7, name: "TW-0030-0035-bracket.dng" } },
    response: new Response("{}"),
  })) as never);
});
afterEach(() => vi.restoreAllMocks());

it("says once that a master is there that was asked for here, and leads to it", async () => {
  startedMaking("bracket a b", { job: "1", shoot: 3 });
  startedMaking("focus c d", { job: "2", shoot: 4 });
  await tellMade(job("1", "running"));
  await tellMade(job("another tab's", "done"));
  expect(said()).toEqual([]);
  expect(Object.keys(useMaking.getState())).toEqual(["bracket a b", "focus c d"]);
  await Promise.all([tellMade(job("1", "done")), tellMade(job("1", "done"))]);
  expect(said()).toEqual(["TW-0030-0035-bracket.dng is made."]);
  expect(Object.keys(useMaking.getState())).toEqual(["focus c d"]);
  useNotices.getState().list[0]?.action?.run();
  expect(location.pathname + location.search).toBe("/shoots/3/frames/7");
});

it("one that failed or was stopped is made no more, and is not said to be there", async () => {
  for (const state of ["failed", "cancelled"] as const) {
    startedMaking("bracket a b", { job: "1", shoot: 3 });
    await tellMade(job("1", state));
    expect([said(), useMaking.getState()]).toEqual([[], {}]);
  }
});

it("one that ended before the answer which one it is came is told as well", async () => {
  useJobs.setState({ jobs: [job("1", "done")] });
  await tellMade(job("1", "done"));
  expect(said()).toEqual([]);
  startedMaking("bracket a b", { job: "1", shoot: 3 });
  await vi.waitFor(() => expect(said()).toEqual(["TW-0030-0035-bracket.dng is made."]));
  expect(useMaking.getState()).toEqual({});
});
