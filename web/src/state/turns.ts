/** What waits for the hand to rest, and what the server works out one after the other. */

/** Arrow keys held down are one change: it is made when they have rested for this long. */
const REST_MS = 350;

let resting: { what: string; run: () => void; timer: ReturnType<typeof setTimeout> } | null = null;

/** Runs once the hand has rested; a later call of the same `what` takes the place of an earlier one, which it goes on from. */
export function whenRested(what: string, run: () => void): void {
  if (resting?.what !== what) runRested();
  if (resting) clearTimeout(resting.timer);
  resting = { what, run, timer: setTimeout(runRested, REST_MS) };
}

/** Runs at once what waits for the hand to rest: before another frame opens, before an undo. */
export function runRested(): void {
  const waits = resting;
  resting = null;
  if (!waits) return;
  clearTimeout(waits.timer);
  waits.run();
}

/** What waits is not wanted any more. */
export function dropRested(): void {
  if (resting) clearTimeout(resting.timer);
  resting = null;
}

let last: Promise<unknown> = Promise.resolve();
let running = 0;

/** Starts when everything before has ended, however that went. */
export function inTurn<T>(work: () => Promise<T>): Promise<T> {
  running += 1;
  const turn = last.then(work).finally(() => {
    running -= 1;
  });
  last = turn.catch(() => {});
  return turn;
}

/** Uses an answer in its turn; the question was asked at once, of what was seen then. */
export function whenAnswered<T>(answer: Promise<T>, use: (answer: T) => unknown): Promise<void> {
  answer.catch(() => undefined); // it is told when its turn comes
  return inTurn(async () => {
    await use(await answer);
  });
}

/** What the hand has just rested on is done before the page goes; and while something that it did is still being worked out that is
 * asked about: it is not among what waits to be saved yet, so nothing else would bring it back. */
export function askBeforeLeaving(page: Pick<Window, "addEventListener">): void {
  page.addEventListener("beforeunload", (e: BeforeUnloadEvent) => {
    runRested();
    if (running) e.preventDefault();
  });
}

/** Runs when what is being worked out has ended: at once when that is nothing. */
export function afterTurns(run: () => void): void {
  if (running) void last.then(run);
  else run();
}
