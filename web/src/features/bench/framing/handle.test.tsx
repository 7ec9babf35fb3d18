import { afterEach, beforeEach, expect, it } from "vitest";
import { named, openPage, type Page, point, press } from "../../../ui/page_for_tests";
import { Handle } from "./handle";

let page: Page;
let log: string[];
beforeEach(() => {
  page = openPage();
  log = [];
  page.show(
    <Handle
      name="Upper left corner"
      x={40}
      y={30}
      shape="corner"
      start={() => "before"}
      onDrag={(dx, dy, from) => {
        log.push(`drag ${from} ${dx},${dy}`);
        return [dx, dy];
      }}
      onEnd={(last) => log.push(`end ${JSON.stringify(last)}`)}
      onStep={(dx, dy) => log.push(`step ${dx},${dy}`)}
      onCancel={() => log.push("cancel")}
      onHold={(on) => log.push(on ? "held" : "let go")}
    />,
  );
});
afterEach(() => page.close());

const handle = () => named(page.place, "Upper left corner");

it("a drag counts from where it was pressed and ends with what it last gave", () => {
  point(handle(), "down", 100, 50);
  point(handle(), "move", 104, 47);
  point(handle(), "move", 110, 40);
  point(handle(), "up", 110, 40);
  expect(log).toEqual(["held", "drag before 4,-3", "drag before 10,-10", "let go", "end [10,-10]"]);
});

it("a press that never moved ends with nothing", () => {
  point(handle(), "down", 100, 50);
  point(handle(), "up", 100, 50);
  expect(log).toEqual(["held", "let go", "end null"]);
});

it("Escape in a drag takes it back, and later movement is not heard", () => {
  point(handle(), "down", 100, 50);
  point(handle(), "move", 120, 50);
  press(window, "Escape");
  point(handle(), "move", 140, 50);
  point(handle(), "up", 140, 50);
  expect(log).toEqual(["held", "drag before 20,0", "let go", "cancel", "let go"]);
});

it("a pointer that is taken away takes the drag back", () => {
  point(handle(), "down", 0, 0);
  point(handle(), "cancel", 0, 0);
  expect(log).toEqual(["held", "let go", "cancel"]);
});

it("arrow keys move by one, with Shift by ten; other keys and shortcuts are left to the page", () => {
  let heard = 0;
  const listen = () => {
    heard += 1;
  };
  window.addEventListener("keydown", listen);
  press(handle(), "ArrowUp");
  press(handle(), "ArrowRight", { shiftKey: true });
  expect(heard).toBe(0);
  press(handle(), "ArrowLeft", { ctrlKey: true });
  press(handle(), "k");
  window.removeEventListener("keydown", listen);
  expect(heard).toBe(2);
  expect(log.filter((l) => l.startsWith("step"))).toEqual(["step 0,-1", "step 10,0"]);
});
