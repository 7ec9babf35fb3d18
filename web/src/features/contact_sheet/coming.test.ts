import { expect, it } from "vitest";
import { timeLeft } from "./coming";

const at = Date.parse("2026-05-12T07:00:00Z");
const job = (progress: number) => ({ created_at: "2026-05-12T07:00:00", progress });

it("tells how long it still takes once that can be told", () => {
  expect(timeLeft(job(0.25), at + 20_000)).toBe("about 60 s left");
  expect(timeLeft(job(0.1), at + 60_000)).toBe("about 9 min left");
  expect(timeLeft(job(0.98), at + 20_000)).toBe("about 5 s left");
  expect(timeLeft(job(0.01), at + 20_000)).toBe("");
  expect(timeLeft(job(0.5), at + 500)).toBe("");
  expect(timeLeft(job(1), at + 20_000)).toBe("");
});
