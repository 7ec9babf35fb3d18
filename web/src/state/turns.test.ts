import { expect, it, vi } from "vitest";
import { afterTurns, askBeforeLeaving, dropRested, inTurn, runRested, whenAnswered, whenRested } from "./turns";

it("what waits for the hand to rest runs once, with the newest", async () => {
  vi.useFakeTimers();
  const [first, second] = [vi.fn(), vi.fn()];
  whenRested("crop", first);
  vi.advanceTimersByTime(300);
  whenRested("crop", second);
  vi.advanceTimersByTime(349);
  expect(second).not.toHaveBeenCalled();
  vi.advanceTimersByTime(1);
  runRested();
  expect(second).toHaveBeenCalledOnce();
  expect(first).not.toHaveBeenCalled();
  vi.useRealTimers();
});

it("it runs at once before another frame opens, and not at all when it is dropped", () => {
  const run = vi.fn();
  whenRested("crop", run);
  runRested();
  expect(run).toHaveBeenCalledOnce();
  whenRested("crop", run);
  dropRested();
  runRested();
  expect(run).toHaveBeenCalledOnce();
});

it("works go one after the other, also after one that failed, and the rest waits for them", async () => {
  const said: string[] = [];
  afterTurns(() => said.push("at once"));
  expect(said).toEqual(["at once"]);
  let letGo = () => {};
  const slow = inTurn(async () => {
    await new Promise<void>((done) => {
      letGo = done;
    });
    said.push("slow");
    throw new Error("refused");
  });
  const quick = inTurn(async () => void said.push("quick"));
  afterTurns(() => said.push("after"));
  await vi.waitFor(() => letGo());
  await Promise.resolve();
  letGo();
  await expect(slow).rejects.toThrow("refused");
  await quick;
  await vi.waitFor(() => expect(said).toEqual(["at once", "slow", "quick", "after"]));
});

it("a step of another kind does not take the place of one that waits", () => {
  const [crop, lines] = [vi.fn(), vi.fn()];
  whenRested("crop", crop);
  whenRested("lines", lines);
  expect(crop).toHaveBeenCalledOnce();
  expect(lines).not.toHaveBeenCalled();
  runRested();
  expect(lines).toHaveBeenCalledOnce();
});

it("a question is asked at once, its answer used in its turn, and what is pressed meanwhile comes behind", async () => {
  const order: string[] = [];
  const slow = inTurn(() => new Promise<void>((done) => setTimeout(done, 15)).then(() => void order.push("slow")));
  const asked = Promise.resolve("answer");
  const used = whenAnswered(asked, (answer) => void order.push(answer));
  afterTurns(() => order.push("undo"));
  const refused = whenAnswered(Promise.reject(new Error("gone")), () => void order.push("never"));
  await slow;
  await used;
  await expect(refused).rejects.toThrow("gone");
  expect(order).toEqual(["slow", "answer", "undo"]);
  afterTurns(() => order.push("at once"));
  expect(order.at(-1)).toBe("at once");
});

it("leaving the page does what the hand has rested on, and asks while an answer is being worked out", async () => {
  const heard: ((e: BeforeUnloadEvent) => void)[] = [];
  askBeforeLeaving({ addEventListener: (_: string, f: never) => void heard.push(f) } as unknown as Window);
  const leave = () => {
    const e = { preventDefault: vi.fn() };
    heard[0]?.(e as unknown as BeforeUnloadEvent);
    return e.preventDefault.mock.calls.length;
  };
  expect(leave()).toBe(0);
  const size = vi.fn();
  whenRested("size", size);
  expect(leave()).toBe(0);
  expect(size).toHaveBeenCalledOnce();
  let answer = (): void => {};
  const slow = inTurn(() => new Promise<void>((done) => (answer = done)));
  await Promise.resolve();
  expect(leave()).toBe(1);
  answer();
  await slow;
  expect(leave()).toBe(0);
});
