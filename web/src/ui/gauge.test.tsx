import { afterEach, beforeEach, expect, it } from "vitest";
import { Gauge, type GaugeFacts } from "./gauge";
import { named, openPage, type Page, point, press } from "./page_for_tests";

let page: Page;
let log: string[];
beforeEach(() => {
  page = openPage();
  log = [];
});
afterEach(() => page.close());

const LINEAR = { label: "Shadows", help: "", unit: "", low: -100, high: 100, step: 1, decimals: 0, scale: "linear" };
const KELVIN = { label: "Temperature", help: "", unit: "K", low: 2000, high: 15000, step: 50, decimals: 0 };

/** The scale of a gauge, 264 wide, whose rule goes from 5 to 259. */
function scale(facts: object, value: number): HTMLElement {
  page.show(
    <Gauge
      facts={{ neutral: 0, ...facts } as unknown as GaugeFacts}
      value={value}
      neutral={value}
      onDraft={(v) => log.push(`draft ${v}`)}
      onSet={(v) => log.push(`set ${v}`)}
      onReset={() => log.push("reset")}
      onCancel={() => log.push("cancel")}
    />,
  );
  const found = named(page.place, (facts as { label: string }).label);
  found.getBoundingClientRect = () => ({ left: 0, top: 0, width: 264, height: 18 }) as DOMRect;
  return found;
}

it("a press on the rule goes there at once, and stays when it is let go", () => {
  const found = scale(LINEAR, 0);
  point(found, "down", 195.5, 10);
  expect(log).toEqual(["draft 50"]);
  point(found, "up", 195.5, 10);
  expect(log).toEqual(["draft 50", "set 50"]);
});

it("a press on the jaw moves nothing until it is dragged, and then by as far as the hand went", () => {
  const found = scale(LINEAR, 0);
  point(found, "down", 136, 10);
  point(found, "up", 136, 10);
  expect(log).toEqual(["cancel"]);
  log = [];
  point(found, "down", 136, 10);
  point(found, "move", 136 + 127, 10);
  point(found, "up", 136 + 63.5, 10);
  expect(log).toEqual(["draft 100", "set 50"]);
});

it("Escape lets go of what is dragged, and what comes after it sets nothing", () => {
  const found = scale(LINEAR, 0);
  point(found, "down", 195.5, 10);
  press(window, "Escape");
  expect(log).toEqual(["draft 50", "cancel"]);
  point(found, "move", 220, 10);
  point(found, "up", 220, 10);
  expect(log).toEqual(["draft 50", "cancel"]);
  press(window, "Escape");
  expect(log.length).toBe(2);
});

it("temperatures stand by their reciprocals, where they look evenly apart", () => {
  // half way between 1/2000 and 1/15000 lies 1/3529
  const found = scale({ ...KELVIN, scale: "reciprocal" }, 3529);
  point(found, "down", 132, 10);
  expect(log).toEqual([]);
  point(found, "cancel", 132, 10);
  log = [];
  point(found, "down", 5, 10);
  point(found, "move", 259, 10);
  expect(log).toEqual(["draft 2000", "draft 15000"]);
  point(found, "cancel", 259, 10);
  const other = scale({ ...KELVIN, scale: "reciprocal" }, 15000);
  log = [];
  point(other, "down", 132, 10);
  expect(log).toEqual(["draft 3550"]);
});
