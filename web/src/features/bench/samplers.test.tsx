import { act } from "react";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import type { Frame } from "../../api/client";
import { NEUTRAL } from "../../api/generated/recipe";
import type { ViewHeader } from "../../api/view";
import { useBench } from "../../state/bench";
import { click, named, openPage, type Page, press } from "../../ui/page_for_tests";
import { Samplers } from "./samplers";

let page: Page;
let asked: { x: number; y: number }[];
beforeEach(() => {
  page = openPage();
  asked = [];
  vi.stubGlobal("fetch", async (request: Request) => {
    asked.push((await request.json()) as { x: number; y: number });
    const body = { rgb: [12, 130.4, 255], lab: [50.04, -3.26, 8] };
    return new Response(JSON.stringify(body), { headers: { "Content-Type": "application/json" } });
  });
  useBench.setState({
    draft: structuredClone(NEUTRAL.raw),
    header: { full_width: 4000, full_height: 3000 } as unknown as ViewHeader,
    samplers: [
      { x: 100, y: 200 },
      { x: 3990, y: 5 },
    ],
  });
  page.show(<Samplers frame={{ id: 8 } as Frame} />);
});
afterEach(() => {
  page.close();
  vi.unstubAllGlobals();
});

it("every pinned place shows its values", async () => {
  await act(async () => {
    await vi.waitFor(() => expect(asked).toHaveLength(2));
  });
  await act(async () => {
    await vi.waitFor(() => expect(page.place.textContent).toContain("130"));
  });
  expect(asked).toMatchObject([
    { x: 100, y: 200 },
    { x: 3990, y: 5 },
  ]);
  expect(
    [...page.place.querySelectorAll("tr")].map((r) =>
      [...r.querySelectorAll("td")].slice(0, 6).map((c) => c.textContent),
    ),
  ).toEqual([
    ["12", "130", "255", "50.0", "-3.3", "8.0"],
    ["12", "130", "255", "50.0", "-3.3", "8.0"],
  ]);
});

it("arrow keys move a place by a four-hundredth of the picture and keep it inside", () => {
  press(named(page.place, "Place 1, moved by arrow keys"), "ArrowRight");
  press(named(page.place, "Place 1, moved by arrow keys"), "ArrowDown", { shiftKey: true });
  press(named(page.place, "Place 2, moved by arrow keys"), "ArrowRight", { shiftKey: true });
  press(named(page.place, "Place 2, moved by arrow keys"), "ArrowUp");
  expect(useBench.getState().samplers).toEqual([
    { x: 110, y: 300 },
    { x: 3999, y: 0 },
  ]);
});

it("a place is taken away by its own button", () => {
  click(named(page.place, "Take place 1 away"));
  expect(useBench.getState().samplers).toEqual([{ x: 3990, y: 5 }]);
});
