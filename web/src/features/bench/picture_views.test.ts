import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { NEUTRAL } from "../../api/generated/recipe";
import * as api from "../../api/view";
import { Pace } from "../../canvas/pace";
import { FIT } from "../../canvas/viewport";
import { useBench } from "../../state/bench";
import { PictureViews } from "./picture_views";

interface Sent {
  quick: boolean;
  width: number;
  answer: () => Promise<void>;
  called_off: () => boolean;
}

const FRAME = { id: 7, raw: true };
let sent: Sent[] = [];

/** Pictures of a window so large that a moving one is reduced, and what was asked of the server, to be answered by hand. */
function views(): PictureViews {
  const canvas = { width: 3000, height: 2000 } as HTMLCanvasElement;
  return new PictureViews(
    FRAME,
    () => canvas,
    { width: 6000, height: 4000 },
    () => undefined,
    new Pace(),
  );
}

beforeEach(() => {
  vi.useFakeTimers();
  sent = [];
  vi.spyOn(api, "fetchView").mockImplementation((_frame, _recipe, window, options, signal, received) => {
    let resolve: (view: api.View) => void = () => undefined;
    const promise = new Promise<api.View>((done) => {
      resolve = done;
    });
    sent.push({
      quick: options.quick === true,
      width: window.scaledWidth,
      called_off: () => signal?.aborted === true,
      answer: async () => {
        const header = { full_width: 6000, full_height: 4000, scaled_width: window.scaledWidth, scaled_height: 1 };
        received?.();
        resolve({ header, picture: { close: () => undefined }, clipping: null } as unknown as api.View);
        await vi.advanceTimersByTimeAsync(0);
      },
    });
    return promise;
  });
  useBench.setState({ frame: FRAME.id, draft: NEUTRAL.raw, version: null, viewport: FIT, moving: true, slow: "none" });
});

afterEach(() => {
  vi.useRealTimers();
  vi.restoreAllMocks();
  useBench.setState({ frame: null, draft: null, moving: false });
});

it("a hand that lets go is shown the sharp picture at once, and once", async () => {
  const mine = views();
  mine.request("adjusted", true);
  await sent[0]?.answer();
  mine.request("adjusted", true);
  expect(sent.map((s) => s.quick)).toEqual([true, true]);
  expect(sent[1]?.width).toBeLessThan(1600);
  useBench.setState({ moving: false });
  mine.rested();
  // the reduced one is not waited for
  expect(sent[1]?.called_off()).toBe(true);
  expect(sent[2]).toMatchObject({ quick: false, width: 2964 });
  mine.rested();
  await sent[2]?.answer();
  await vi.advanceTimersByTimeAsync(2000);
  expect(sent).toHaveLength(3);
  mine.close();
});

it("a reduced picture that comes after the sharp one was asked for asks for no other", async () => {
  const mine = views();
  mine.request("adjusted", true);
  const answered = sent[0]?.answer();
  // it has arrived and is being unpacked when the hand lets go
  mine.rested();
  await answered;
  expect(sent.map((s) => s.quick)).toEqual([true, false]);
  await vi.advanceTimersByTimeAsync(2000);
  await sent[1]?.answer();
  await vi.advanceTimersByTimeAsync(2000);
  expect(sent).toHaveLength(2);
  mine.close();
});

it("a hand that only rests is shown the sharp picture as well", async () => {
  const mine = views();
  mine.request("adjusted", true);
  await sent[0]?.answer();
  expect(sent).toHaveLength(1);
  await vi.advanceTimersByTimeAsync(100);
  expect(sent.map((s) => s.quick)).toEqual([true, false]);
  mine.close();
});
