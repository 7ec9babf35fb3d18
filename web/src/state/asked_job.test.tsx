import { act, useState } from "react";
import { createRoot, type Root } from "react-dom/client";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { api, type Job } from "../api/client";
import { useAskedJob } from "./asked_job";
import { useJobs } from "./jobs";

vi.stubGlobal("IS_REACT_ACT_ENVIRONMENT", true);

let root: Root;
let ask: (key: string | null) => void;
let shown: ReturnType<typeof useAskedJob>;
let starts: Record<string, (job: Job | Error) => void>;
let done: unknown[];
let stopped: string[];

const job = (id: string, state: Job["state"], note = "") => ({ id, state, note, progress: 0.5 }) as Job;
const told = (...jobs: Job[]) => act(async () => useJobs.setState({ jobs }));

function Asking() {
  const [key, setKey] = useState<string | null>("a");
  ask = setKey;
  shown = useAskedJob(key, {
    start: () =>
      new Promise((resolve, reject) => {
        starts[key ?? ""] = (one) => (one instanceof Error ? reject(one) : resolve(one));
      }),
    done: (result) => done.push(result),
    stopped: "It was stopped.",
  });
  return null;
}

beforeEach(async () => {
  [starts, done, stopped] = [{}, [], []];
  useJobs.setState({ jobs: [] });
  vi.spyOn(api, "DELETE").mockImplementation((async (_: string, { params }: { params: { path: { id: string } } }) => {
    stopped.push(params.path.id);
    return { response: new Response("{}") };
  }) as never);
  vi.spyOn(api, "GET").mockImplementation((async (_: string, { params }: { params: { path: { id: string } } }) => {
    const one = useJobs.getState().jobs.find((j) => j.id === params.path.id);
    return { data: { ...one, result: `of ${params.path.id}` }, response: new Response("{}") };
  }) as never);
  root = createRoot(document.createElement("div"));
  await act(async () => root.render(<Asking />));
});
afterEach(() => act(async () => root.unmount()));

const start = (key: string, one: Job | Error) => act(async () => starts[key]?.(one));

it("takes the result once the job is done", async () => {
  await start("a", job("1", "queued"));
  await told(job("1", "running"));
  expect(shown).toMatchObject({ job: { progress: 0.5 }, failed: "" });
  await told(job("1", "done"));
  expect(done).toEqual(["of 1"]);
  await act(async () => root.unmount());
  root = createRoot(document.createElement("div"));
  expect(stopped).toEqual(["1"]);
});

it("stops what is wanted no more, also when it is told late which job that is", async () => {
  await act(async () => ask("b"));
  await start("b", job("2", "queued"));
  await start("a", job("1", "queued"));
  expect(stopped).toEqual(["1"]);
  await told(job("1", "done"), job("2", "running"));
  expect(done).toEqual([]);
  expect(shown.job?.id).toBe("2");
  await act(async () => ask("c"));
  expect(stopped).toEqual(["1", "2"]);
  await told(job("2", "done"));
  expect(done).toEqual([]);
  await act(async () => ask(null));
  await start("c", job("3", "queued"));
  expect(stopped).toEqual(["1", "2", "3"]);
});

it("says why there is no result, and begins anew when something else is asked", async () => {
  await start("a", new Error("No room."));
  expect(shown.failed).toBe("No room.");
  await act(async () => ask("b"));
  expect(shown.failed).toBe("");
  await start("b", job("2", "queued"));
  await told(job("2", "failed", "A frame is gone."));
  expect(shown.failed).toBe("A frame is gone.");
  await act(async () => ask("c"));
  await start("c", job("3", "queued"));
  await told(job("3", "cancelled"));
  expect(shown.failed).toBe("It was stopped.");
  expect(done).toEqual([]);
});
