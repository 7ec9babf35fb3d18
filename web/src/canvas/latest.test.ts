import { expect, it } from "vitest";
import { Latest } from "./latest";

const turn = () => new Promise((done) => setTimeout(done, 0));

function setUp() {
  const sent: number[] = [];
  const shown: number[] = [];
  const failed: unknown[] = [];
  const answers = new Map<number, { resolve: (n: number) => void; reject: (e: unknown) => void }>();
  const latest = new Latest<number, number>(
    (n) => {
      sent.push(n);
      return new Promise((resolve, reject) => answers.set(n, { resolve, reject }));
    },
    (answer) => shown.push(answer),
    (error) => failed.push(error),
  );
  return { sent, shown, failed, answers, latest };
}

it("sends the newest only and drops what waited before", async () => {
  const t = setUp();
  for (const n of [1, 2, 3, 4]) t.latest.ask(n);
  expect(t.sent).toEqual([1]);
  t.answers.get(1)?.resolve(1);
  await turn();
  expect(t.sent).toEqual([1, 4]);
  t.answers.get(4)?.resolve(4);
  await turn();
  expect(t.shown).toEqual([1, 4]);
  expect(t.latest.busy).toBe(false);
});

it("goes on after a failure and shows nothing after a stop", async () => {
  const t = setUp();
  t.latest.ask(1);
  t.latest.ask(2);
  t.answers.get(1)?.reject(new Error("no"));
  await turn();
  expect(t.failed).toHaveLength(1);
  t.latest.stop();
  t.answers.get(2)?.resolve(2);
  await turn();
  expect(t.shown).toEqual([]);
  t.latest.ask(3);
  t.answers.get(3)?.resolve(3);
  await turn();
  expect(t.shown).toEqual([3]);
});

it("sends the next one while an answer is unpacked, and never goes back", async () => {
  const sent: number[] = [];
  const shown: number[] = [];
  const done = new Map<number, () => void>();
  const arrived = new Map<number, () => void>();
  const latest = new Latest<number, number>(
    (n, _, received) => {
      sent.push(n);
      arrived.set(n, received);
      return new Promise((resolve) => done.set(n, () => resolve(n)));
    },
    (answer) => shown.push(answer),
    () => undefined,
  );
  for (const n of [1, 2, 3]) latest.ask(n);
  arrived.get(1)?.();
  expect(sent).toEqual([1, 3]);
  arrived.get(1)?.(); // told twice, it counts once
  latest.ask(4);
  expect(sent).toEqual([1, 3]);
  arrived.get(3)?.();
  expect(sent).toEqual([1, 3, 4]);
  done.get(3)?.();
  await turn();
  done.get(1)?.(); // unpacked too late
  await turn();
  done.get(4)?.();
  await turn();
  expect(shown).toEqual([3, 4]);
  expect(latest.busy).toBe(false);
});

it("calls off what is stale, gives back what is not shown, and says nothing of either", async () => {
  const t = setUp();
  const dropped: number[] = [];
  const signals: AbortSignal[] = [];
  const answers = new Map<number, (n: number) => void>();
  const latest = new Latest<number, number>(
    (n, signal) => {
      signals.push(signal);
      return new Promise((resolve) => answers.set(n, resolve));
    },
    (answer) => t.shown.push(answer),
    (error) => t.failed.push(error),
    (answer) => dropped.push(answer),
  );
  const sharp = (sent: number) => sent >= 100;
  latest.ask(100);
  latest.ask(1, sharp);
  expect(signals.map((s) => s.aborted)).toEqual([true, false]);
  latest.ask(2, sharp);
  expect(signals.length).toBe(2); // one that is not stale is waited for
  answers.get(100)?.(100);
  answers.get(1)?.(1);
  await turn();
  answers.get(2)?.(2);
  await turn();
  expect([t.shown, dropped, t.failed]).toEqual([[1, 2], [100], []]);
});

it("an answer that says it was superseded is no failure", async () => {
  const t = setUp();
  t.latest.ask(1);
  t.answers.get(1)?.reject(new DOMException("superseded", "AbortError"));
  await turn();
  expect(t.failed).toEqual([]);
  expect(t.latest.busy).toBe(false);
});
