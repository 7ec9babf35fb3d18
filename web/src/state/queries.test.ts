import { expect, test } from "vitest";
import type { Frame } from "../api/client";
import { takenBack } from "./queries";

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
