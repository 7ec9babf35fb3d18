import { expect, it } from "vitest";
import { HandTool, PickTool, SplitTool } from "./tools";

const at = (kind: "down" | "move" | "up" | "cancel", x: number, y = 0) => ({ kind, x, y });

it("a press without movement is a click, a drag pans", () => {
  const hand = new HandTool();
  hand.handle(at("down", 10));
  expect(hand.handle(at("move", 11)).do).toBe("nothing");
  expect(hand.handle(at("up", 11)).do).toBe("click");
  hand.handle(at("down", 10));
  expect(hand.handle(at("move", 30))).toEqual({ do: "pan", dx: 20, dy: 0 });
  expect(hand.handle(at("up", 30)).do).toBe("nothing");
  expect(hand.handle(at("move", 90)).do).toBe("nothing");
});

it("picks a spot or a square, and nothing after a cancel", () => {
  const pick = new PickTool();
  pick.handle(at("down", 50, 50));
  expect(pick.handle(at("move", 62, 58))).toMatchObject({ do: "mark", x: 50, radius: 12 });
  expect(pick.handle(at("up", 62, 58))).toMatchObject({ do: "pick", x: 50, y: 50, radius: 12 });
  pick.handle(at("down", 5, 5));
  expect(pick.handle(at("cancel", 5, 5)).do).toBe("nothing");
});

it("moves the divider only when it was taken hold of", () => {
  const split = new SplitTool(
    () => 100,
    () => 8,
    new HandTool(),
  );
  split.handle(at("down", 103));
  expect(split.handle(at("move", 140))).toEqual({ do: "split", x: 140 });
  split.handle(at("up", 140));
  split.handle(at("down", 300));
  expect(split.handle(at("move", 340)).do).toBe("pan");
});
