import { expect, test } from "vitest";
import type { Frame, Frames } from "../api/client";
import { marked, markingSent, newerThan, takenBack } from "./queries";

const frame = (id: number, mark: string, stars: number) => ({ id, mark, stars }) as unknown as Frame;

test("a refused marking takes back its own marks only", () => {
  const before = [frame(1, "", 0), frame(2, "maybe", 3), frame(3, "", 0), frame(4, "", 1)];
  // 1 to 3 were kept and that was refused; meanwhile 3 was dropped, 2 got a star more, 4 was kept by another marking
  const now = [frame(1, "keep", 0), frame(2, "keep", 4), frame(3, "drop", 0), frame(4, "keep", 1)];
  expect(takenBack(now, before, { frames: [1, 2, 3], mark: "keep" })).toEqual([
    frame(1, "", 0),
    frame(2, "maybe", 4),
    frame(3, "drop", 0),
    frame(4, "keep", 1),
  ]);
  expect(takenBack(now, before, { frames: [2], stars: 4 })[1]).toEqual(frame(2, "keep", 3));
});

test("what the server read before it had a marking does not undo it", async () => {
  const wait = () => new Promise((done) => setTimeout(done, 2));
  const list = { frames: [frame(1, "", 0), frame(2, "", 0)] } as unknown as Frames;
  const asked = performance.now();
  await wait();
  const keep = markingSent({ frames: [1], mark: "keep" });
  const star = markingSent({ frames: [1, 2], stars: 4 });
  const refused = markingSent({ frames: [2], mark: "drop" });
  expect(marked(list, newerThan(asked)).frames).toEqual([frame(1, "keep", 4), frame(2, "drop", 4)]);
  refused(false);
  keep(true);
  expect(marked(list, newerThan(asked)).frames).toEqual([frame(1, "keep", 4), frame(2, "", 4)]);
  await wait();
  // asked after the server had the mark: it is in the answer, or was changed since; the stars are still on their way
  expect(newerThan(performance.now())).toEqual([expect.objectContaining({ stars: 4 })]);
  star(true);
  await wait();
  expect(newerThan(performance.now())).toEqual([]);
  expect(newerThan(asked)).toHaveLength(2);
  expect(marked(list, [])).toBe(list);
});
