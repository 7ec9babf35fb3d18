import { act } from "react";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import type { Job } from "../../api/client";
import { failsUnseen, isActive, listen, useJobs } from "../../state/jobs";
import { useNotices } from "../../state/notices";
import { click, named, openPage, type Page } from "../../ui/page_for_tests";
import { JobRow, JobsButton } from "./jobs_button";

class Source {
  static last: Source;
  onmessage: ((event: { data: string }) => void) | null = null;
  onerror: (() => void) | null = null;
  closed = false;
  constructor(readonly url: string) {
    Source.last = this;
  }
  close() {
    this.closed = true;
  }
}

const job = (more: Partial<Job>): Job =>
  ({
    id: 1,
    kind: "deliver",
    title: "Deliver 4 frames",
    state: "running",
    progress: 0.25,
    note: "",
    result: null,
    ...more,
  }) as Job;

let page: Page;
beforeEach(() => {
  page = openPage();
  useJobs.setState({ jobs: [], connected: false, available: true });
  useNotices.setState({ list: [] });
});
afterEach(() => {
  page.close();
  vi.unstubAllGlobals();
});

it("tells of a job only when it moved", () => {
  vi.stubGlobal("EventSource", Source);
  const told: string[] = [];
  let messages = 0;
  const stop = listen((changes) => {
    messages += 1;
    for (const { job: now, before } of changes) told.push(`${before?.state ?? "new"} -> ${now.state} ${now.progress}`);
  });
  expect(Source.last.url).toBe("/api/events");
  const send = (...jobs: Job[]) => Source.last.onmessage?.({ data: JSON.stringify({ jobs }) });
  send(job({ progress: 0 }));
  send(job({ progress: 0 }));
  send(job({ progress: 0.5 }));
  send(job({ progress: 1, state: "done" }));
  expect(told).toEqual(["new -> running 0", "running -> running 0.5", "running -> done 1"]);
  send(job({ id: "second", state: "done" }), job({ id: "third", state: "done" }), job({ progress: 1, state: "done" }));
  // two more jobs in one message are one call, so that what they changed is asked for once
  expect(told.length).toBe(5);
  expect(messages).toBe(4);
  expect(useJobs.getState().connected).toBe(true);
  Source.last.onerror?.();
  expect(useJobs.getState().connected).toBe(false);
  stop();
  expect(Source.last.closed).toBe(true);
});

it("a job that fails is told once, and where somebody waits for it only there", () => {
  const failed = (kind: string, before?: Job["state"]) =>
    failsUnseen({ job: job({ kind, state: "failed" }), before: before && job({ kind, state: before }) });
  expect([failed("deliver", "running"), failed("merge", "queued")]).toEqual([true, true]);
  expect([failed("deliver", "failed"), failed("deliver")]).toEqual([false, false]);
  expect(["judge", "fit", "even"].map((kind) => failed(kind, "running"))).toEqual([false, false, false]);
  expect(failsUnseen({ job: job({ state: "done" }), before: job({ state: "running" }) })).toBe(false);
});

it("a database that is away is not a lost connection", () => {
  vi.stubGlobal("EventSource", Source);
  const stop = listen(() => undefined);
  Source.last.onmessage?.({ data: JSON.stringify({ unavailable: true }) });
  expect(useJobs.getState()).toMatchObject({ available: false, connected: true });
  Source.last.onmessage?.({ data: JSON.stringify({ jobs: [] }) });
  expect(useJobs.getState().available).toBe(true);
  stop();
});

it("only what waits or runs counts as active", () => {
  const states = ["queued", "running", "done", "failed", "cancelled"] as const;
  expect(states.map((state) => isActive(job({ state })))).toEqual([true, true, false, false, false]);
});

it("the button says how far the jobs are together", () => {
  page.show(<JobsButton />);
  expect(page.place.textContent).toBe("Not connected");
  act(() => useJobs.setState({ connected: true }));
  expect(page.place.textContent).toBe("Jobs");
  act(() => useJobs.setState({ jobs: [job({}), job({ id: "2", progress: 0.75 }), job({ id: "3", state: "done" })] }));
  expect(page.place.textContent).toBe("2 jobs, 50 %");
});

it("a running job shows its share and can be called off", async () => {
  const asked: string[] = [];
  vi.stubGlobal("fetch", async (request: Request) => {
    asked.push(`${request.method} ${new URL(request.url, "http://localhost").pathname}`);
    return new Response(JSON.stringify({ error: "That job has ended already." }), {
      status: 409,
      headers: { "Content-Type": "application/json" },
    });
  });
  page.show(<JobRow job={job({ note: "TW-0090.dng" })} />);
  const bar = page.place.querySelector('[role="progressbar"]');
  expect(bar?.getAttribute("aria-valuenow")).toBe("25");
  expect(page.place.textContent).toContain("25 %");
  expect(page.place.textContent).toContain("TW-0090.dng");
  click(named(page.place, "Cancel: Deliver 4 frames"));
  await vi.waitFor(() =>
    expect(useNotices.getState().list.map((n) => n.text)).toEqual(["That job has ended already."]),
  );
  expect(asked).toEqual(["DELETE /api/jobs/1"]);
});

it("what was brought in is summed up with a way to it", () => {
  const result = { shoot: 4, added: 90, already: 2, refused: 1 };
  page.show(<JobRow job={job({ kind: "bring_in", state: "done", progress: 1, result: result as never })} />);
  expect(page.place.textContent).toContain("90 brought in, 2 already there, 1 refused.");
  click(named(page.place, "Open the shoot"));
  expect(window.location.pathname).toBe("/shoots/4");
});
