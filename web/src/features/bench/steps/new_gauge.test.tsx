import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { Tooltip } from "radix-ui";
import { act, type FC } from "react";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import type { Frame } from "../../../api/client";
import type { Facts, Recipe, Step } from "../../../api/generated/recipe";
import { click, named, openPage, type Page } from "../../../ui/page_for_tests";
import type { StepProps } from "./control";

/**
 * What the generated file would hold if an operation with one gauge came to every step that has gauges, and one more gauge to an
 * operation that is there.
 */
vi.mock("../../../api/generated/recipe", async (original) => {
  const real = await original<typeof import("../../../api/generated/recipe")>();
  const novelty = { kind: "gauge", label: "Novelty", help: "", unit: "", low: -100, high: 100, step: 1, decimals: 0 };
  const facts = { ...novelty, neutral: 0, scale: "linear", of: "novelty" } as Facts;
  const steps = ["framing", "balance", "tone", "colour", "definition", "finish"] as const;
  const of = {
    framing: "lens",
    balance: "balance",
    tone: "recovery",
    colour: "vibrance",
    definition: "noise",
    finish: "grain",
  };
  const second = (s: (typeof steps)[number]) => ({ ...facts, label: "Addition", of: of[s] });
  const more = Object.fromEntries(steps.map((s) => [s, { ...real.FACTS[s], novelty: facts, addition: second(s) }]));
  const neutral = structuredClone(real.NEUTRAL) as unknown as Record<string, Record<string, Record<string, unknown>>>;
  for (const kind of ["raw", "rendered"])
    for (const s of steps) Object.assign(neutral[kind]?.[s] ?? {}, { novelty: 0, addition: 0 });
  const print = { novelty: facts };
  for (const kind of ["raw", "rendered"]) Object.assign(neutral[kind] ?? {}, { print: { novelty: 0 } });
  return { ...real, FACTS: { ...real.FACTS, ...more, print }, NEUTRAL: neutral };
});

let page: Page;
beforeEach(() => {
  page = openPage();
  vi.stubGlobal("fetch", () => new Promise(() => undefined));
});
afterEach(() => {
  page.close();
  vi.unstubAllGlobals();
});

it.each<[Step, () => Promise<FC<StepProps>>]>([
  ["framing", async () => (await import("./framing")).Framing],
  ["balance", async () => (await import("./balance")).Balance],
  ["tone", async () => (await import("./tone")).Tone],
  ["colour", async () => (await import("./colour")).Colour],
  ["definition", async () => (await import("./definition")).Definition],
  ["finish", async () => (await import("./finish")).Finish],
  [
    "definition",
    async () => {
      const { Plain } = await import("./plain");
      return (props) => <Plain {...props} step="definition" />;
    },
  ],
])("a gauge that came to %s stands in its panel, once", async (_, load) => {
  const Body = await load();
  const { NEUTRAL } = await import("../../../api/generated/recipe");
  const recipe = structuredClone(NEUTRAL.raw) as Recipe;
  await act(async () =>
    page.show(
      <QueryClientProvider client={new QueryClient()}>
        <Tooltip.Provider>
          <Body frame={{ id: 8, raw: true } as Frame} recipe={recipe} />
        </Tooltip.Provider>
      </QueryClientProvider>,
    ),
  );
  // some parts are folded at first
  for (const fold of page.place.querySelectorAll('[aria-expanded="false"]')) click(fold);
  const gauges = [...page.place.querySelectorAll('[role="slider"]')].map((g) => g.getAttribute("aria-label"));
  for (const one of ["Novelty", "Addition"]) expect(gauges.filter((name) => name?.includes(one))).toHaveLength(1);
  expect(new Set(gauges).size).toBe(gauges.length);
});

it("a step that came without a panel shows its gauges, and has its switch", async () => {
  const { Panel } = await import("../panel");
  const { NEUTRAL } = await import("../../../api/generated/recipe");
  const { useBench } = await import("../../../state/bench");
  useBench.setState({ draft: structuredClone(NEUTRAL.raw) as Recipe, header: null });
  await act(async () => page.show(<Panel frame={{ id: 8, raw: true } as Frame} step={"print" as Step} />));
  const gauges = [...page.place.querySelectorAll('[role="slider"]')].map((g) => g.getAttribute("aria-label"));
  expect(gauges.filter((name) => name === "Novelty")).toHaveLength(1);
  expect(named(page.place, "Print switched on").getAttribute("aria-checked")).toBe("true");
});
