import { expect, it } from "vitest";
import { DragTool, HandTool, PickTool, SplitTool } from "./tools";

const at = (kind: "down" | "move" | "up" | "cancel", x: number, y = 0) => ({ kind, x, y });

/** A divider at 100 that is taken hold of within 8 pixels, over the hand. */
const splitAt100 = () =>
  new SplitTool(
    () => 100,
    () => 8,
    new HandTool(),
  );

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
  const split = splitAt100();
  split.handle(at("down", 103));
  expect(split.handle(at("move", 140))).toEqual({ do: "split", x: 140 });
  split.handle(at("up", 140));
  split.handle(at("down", 300));
  expect(split.handle(at("move", 340)).do).toBe("pan");
});

it("lets go of the divider when the press is taken away", () => {
  const split = splitAt100();
  split.handle(at("down", 103));
  split.handle(at("cancel", 140));
  expect(split.handle(at("move", 180)).do).not.toBe("split");
});

it("drags a tone by as far as the hand went, and by nothing when the press is taken away", () => {
  const drag = new DragTool();
  expect(drag.handle(at("move", 5, 5)).do).toBe("nothing");
  expect(drag.handle(at("down", 5, 50))).toEqual({ do: "tone start", x: 5, y: 50 });
  expect(drag.handle(at("move", 5, 30))).toEqual({ do: "tone", dy: -20, end: false });
  expect(drag.handle(at("up", 5, 20))).toEqual({ do: "tone", dy: -30, end: true });
  drag.handle(at("down", 5, 50));
  drag.handle(at("move", 5, 10));
  expect(drag.handle(at("cancel", 5, 10))).toEqual({ do: "tone", dy: 0, end: true });
  expect(drag.handle(at("move", 5, 0)).do).toBe("nothing");
});
