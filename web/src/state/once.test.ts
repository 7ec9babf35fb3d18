import { expect, it } from "vitest";
import { ApiError } from "../api/client";
import { once } from "./once";

const failing = (status: number) => async (): Promise<never> => {
  throw new ApiError(status, "no");
};
const key = async (k: string) => k;

it("two presses, and another try after no answer, carry one key; after an answer it is a new request", async () => {
  let first = "";
  const lost = once("deliver 3", async (k) => {
    first = k;
    throw new ApiError(0, "no answer");
  });
  const pressed = once("deliver 3", key);
  await expect(lost).rejects.toThrow("no answer");
  expect(await pressed).toBe(first);
  expect(await once("deliver 3", key)).not.toBe(first);
});

it("what was refused for what it is starts anew, what failed on the way does not", async () => {
  const keys: string[] = [];
  const noted = (status: number) => (k: string) => {
    keys.push(k);
    return failing(status)();
  };
  for (const status of [503, 500, 422, 503]) await once("bring in", noted(status)).catch(() => {});
  expect(new Set(keys.slice(0, 3)).size).toBe(1);
  expect(keys[3]).not.toBe(keys[2]);
  expect(await once("other", key)).not.toBe(await once("more", key));
});
