import { act, useState } from "react";
import { afterEach, beforeEach, expect, it } from "vitest";
import type { Point } from "../canvas/curve";
import { type Channel, CurveEditor } from "../features/bench/curve_editor";
import { Gauge, type GaugeFacts } from "./gauge";
import { openPage, type Page, press } from "./page_for_tests";

let page: Page;
let place: HTMLElement;
beforeEach(() => {
  page = openPage();
  place = page.place;
});
afterEach(() => page.close());

const FACTS: GaugeFacts = {
  label: "Exposure",
  unit: "EV",
  help: "Lighter or darker.",
  low: -5,
  high: 5,
  step: 0.05,
  decimals: 2,
  scale: "linear",
};

function Held({ log }: { log: string[] }) {
  const [value, setValue] = useState(0);
  return (
    <Gauge
      facts={FACTS}
      value={value}
      neutral={0}
      signed
      onDraft={(v) => log.push(`draft ${v}`)}
      onSet={(v) => {
        log.push(`set ${v}`);
        setValue(v);
      }}
      onReset={() => {
        log.push("reset");
        setValue(0);
      }}
      onCancel={() => log.push("cancel")}
    />
  );
}

it("a gauge is worked by keys alone", () => {
  const log: string[] = [];
  page.show(<Held log={log} />);
  const slider = place.querySelector("[role=slider]") as Element;
  press(slider, "ArrowRight");
  press(slider, "ArrowUp", { shiftKey: true });
  press(slider, "PageDown");
  press(slider, "End");
  press(slider, "ArrowRight");
  press(slider, "Delete");
  expect(log).toEqual(["set 0.05", "set 0.55", "set 0.05", "set 5", "set 5", "reset"]);
  expect(slider.getAttribute("aria-valuenow")).toBe("0");
  press(slider, "ArrowRight", { ctrlKey: true });
  expect(log).toHaveLength(6);
});

it("a handle that is let go where it was taken sets nothing, and holds nothing any more", () => {
  const log: string[] = [];
  page.show(<Held log={log} />);
  const slider = place.querySelector("[role=slider]") as SVGElement;
  slider.setPointerCapture = () => undefined;
  slider.getBoundingClientRect = () => ({ left: 0, width: 264 }) as DOMRect;
  const point = (kind: string, clientX: number) =>
    act(() => {
      slider.dispatchEvent(new PointerEvent(kind, { bubbles: true, clientX, button: 0, pointerId: 1 }));
    });
  for (const [kind, x] of [
    ["pointerdown", 134],
    ["pointermove", 146.7],
    ["pointermove", 134],
    ["pointerup", 134],
  ] as const)
    point(kind, x);
  expect(log).toEqual(["draft 0.5", "draft 0", "cancel"]);
  point("pointermove", 200);
  expect(log).toHaveLength(3);
  for (const [kind, x] of [
    ["pointerdown", 134],
    ["pointermove", 146.7],
    ["pointerup", 146.7],
  ] as const)
    point(kind, x);
  expect(log.slice(3)).toEqual(["draft 0.5", "set 0.5"]);
});

it("a number is typed, set by Enter and taken back by Esc", () => {
  const log: string[] = [];
  page.show(<Held log={log} />);
  const field = place.querySelector("input") as HTMLInputElement;
  const type = (text: string) =>
    act(() => {
      field.focus();
      Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value")?.set?.call(field, text);
      field.dispatchEvent(new Event("input", { bubbles: true }));
    });
  type("1,25");
  press(field, "Enter");
  expect(log).toEqual(["set 1.25"]);
  expect(field.value).toBe("+1.25");
  type("99");
  press(field, "Enter");
  expect(log.at(-1)).toBe("set 5");
  type("words");
  press(field, "Enter");
  expect(log).toHaveLength(2);
});

it("points of a curve are moved and removed by keys, and kept between their neighbours", () => {
  const log: [Channel, Point[]][] = [];
  const curves = Object.fromEntries(
    ["luminance", "rgb", "red", "green", "blue"].map((c) => [
      c,
      [
        [0, 0],
        [0.5, 0.6],
        [1, 1],
      ],
    ]),
  ) as unknown as Record<Channel, Point[]>;
  page.show(
    <CurveEditor
      curves={curves}
      histogram={null}
      onDraft={() => undefined}
      onSet={(c, p) => log.push([c, p])}
      onCancel={() => undefined}
    />,
  );
  const point = place.querySelectorAll("rect[role=button]")[1] as SVGElement;
  press(point, "ArrowUp");
  expect(log[0]?.[0]).toBe("rgb");
  expect(log[0]?.[1][1]?.[1]).toBeCloseTo(0.6 + 1 / 255);
  press(place.querySelectorAll("rect[role=button]")[0] as SVGElement, "ArrowLeft");
  expect(log[1]?.[1][0]).toEqual([0, 0]);
  press(point, "Delete");
  expect(log[2]?.[1]).toHaveLength(2);
  act(() => (place.querySelectorAll("[role=radio]")[2] as HTMLElement).click());
  press(place.querySelectorAll("rect[role=button]")[1] as SVGElement, "ArrowDown");
  expect(log[3]?.[0]).toBe("red");
});
