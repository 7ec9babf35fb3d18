import { expect, it } from "vitest";
import { alone } from "./alone";

it("what is under way is not begun again; other things, and the same later, are", async () => {
  const ends: ((value: string) => void)[] = [];
  const work = () => new Promise<string>((resolve) => ends.push(resolve));
  const [first, again, other] = [alone(["a", 1], work), alone(["a", 1], work), alone(["a", 2], work)];
  expect(ends).toHaveLength(2);
  ends[0]?.("one");
  ends[1]?.("two");
  expect(await Promise.all([first, again, other])).toEqual(["one", "one", "two"]);
  const later = alone(["a", 1], work);
  expect(ends).toHaveLength(3);
  ends[2]?.("three");
  expect(await later).toBe("three");
});

it("one that failed may be tried again, and everybody who waits hears of it", async () => {
  let tries = 0;
  const work = async () => {
    tries += 1;
    throw new Error(`try ${tries}`);
  };
  const [first, again] = [alone("a", work), alone("a", work)];
  await expect(first).rejects.toThrow("try 1");
  await expect(again).rejects.toThrow("try 1");
  await expect(alone("a", work)).rejects.toThrow("try 2");
});
