import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { followStream } from "./stream";

class Source {
  static readonly CLOSED = 2;
  static all: Source[] = [];
  onmessage: ((event: { data: string }) => void) | null = null;
  onerror: (() => void) | null = null;
  readyState = 1;
  constructor(readonly url: string) {
    Source.all.push(this);
  }
  close() {
    this.readyState = Source.CLOSED;
  }
}
const openOnes = () => Source.all.filter((s) => s.readyState !== Source.CLOSED);

/** Locks as a browser keeps them: one holder at a time, in the order of asking. */
function locks() {
  let held: Promise<unknown> = Promise.resolve();
  return {
    request: (_name: string, { signal }: { signal: AbortSignal }, body: () => Promise<void>) => {
      const turn = held.then(() => (signal.aborted ? Promise.reject(new Error("called off")) : body()));
      held = turn.catch(() => {});
      return turn;
    },
  };
}

let stops: (() => void)[] = [];
const follow = () => {
  const heard: (string | null)[] = [];
  const stop = followStream("/api/events", (text) => heard.push(text));
  stops.push(stop);
  return { heard, stop };
};
const seen = (state: string) => {
  Object.defineProperty(document, "visibilityState", { value: state, configurable: true });
  document.dispatchEvent(new Event("visibilitychange"));
};

beforeEach(() => {
  Source.all = [];
  vi.stubGlobal("EventSource", Source);
  Object.defineProperty(navigator, "locks", { value: locks(), configurable: true });
});
afterEach(() => {
  for (const stop of stops) stop();
  stops = [];
  Object.defineProperty(navigator, "locks", { value: undefined, configurable: true });
  seen("visible");
  vi.unstubAllGlobals();
  vi.useRealTimers();
});

it("tabs share one stream, and one that comes later hears at once what stands", async () => {
  const first = follow();
  await vi.waitFor(() => expect(Source.all).toHaveLength(1));
  Source.all[0]?.onmessage?.({ data: "one" });
  const second = follow();
  await vi.waitFor(() => expect(second.heard).toEqual(["one"]));
  Source.all[0]?.onmessage?.({ data: "two" });
  await vi.waitFor(() => expect(second.heard).toEqual(["one", "two"]));
  expect(first.heard).toEqual(["one", "two"]);
  expect(openOnes()).toHaveLength(1);
});

it("another tab goes on when the one with the stream ends", async () => {
  const first = follow();
  const second = follow();
  await vi.waitFor(() => expect(Source.all).toHaveLength(1));
  first.stop();
  await vi.waitFor(() => expect(Source.all).toHaveLength(2));
  expect(openOnes()).toHaveLength(1);
  Source.all[1]?.onmessage?.({ data: "three" });
  expect(second.heard).toEqual(["three"]);
  expect(first.heard).toEqual([]);
});

it("a hidden page lets go of the stream, and takes it again when it is seen", async () => {
  follow();
  await vi.waitFor(() => expect(openOnes()).toHaveLength(1));
  seen("hidden");
  expect(openOnes()).toHaveLength(0);
  seen("visible");
  await vi.waitFor(() => expect(openOnes()).toHaveLength(1));
});

it("a refused stream is asked for again, a lost one is left to the browser", async () => {
  const { heard } = follow();
  await vi.waitFor(() => expect(Source.all).toHaveLength(1));
  vi.useFakeTimers();
  Source.all[0]?.onerror?.();
  vi.advanceTimersByTime(60_000);
  expect(Source.all).toHaveLength(1);
  const refused = Source.all[0] as Source;
  refused.readyState = Source.CLOSED;
  refused.onerror?.();
  vi.advanceTimersByTime(5_000);
  expect(Source.all).toHaveLength(2);
  expect(heard).toEqual([null, null]);
});
