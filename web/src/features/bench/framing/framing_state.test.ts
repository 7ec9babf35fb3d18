import { beforeEach, expect, it, vi } from "vitest";
import { NEUTRAL, type Recipe } from "../../../api/generated/recipe";
import type { FramingFacts, ViewHeader } from "../../../api/view";
import { useBench } from "../../../state/bench";
import { useNotices } from "../../../state/notices";
import { act, factsNow, factsSettled, useFraming } from "./framing_state";

const facts = { plane: [0, 0, 900, 600] } as unknown as FramingFacts;
const shown = (framing: FramingFacts | null) => ({ framing }) as unknown as ViewHeader;
let draft: Recipe;
beforeEach(() => {
  draft = structuredClone(NEUTRAL.raw);
  useFraming.setState({ shownOf: null, acting: 0 });
  useBench.setState({ draft, header: null, frame: 3 });
  useNotices.setState({ list: [] });
  vi.unstubAllGlobals();
});

it("places count once the picture of the newest recipe is there", async () => {
  useBench.setState({ header: shown(facts) });
  useFraming.setState({ shownOf: draft });
  expect(factsNow()).toBe(facts);
  expect(await factsSettled()).toBe(facts);
});

it("waits while another recipe's picture is shown or the server works something out", async () => {
  let found: FramingFacts | null | undefined;
  void factsSettled(2000).then((f) => {
    found = f;
  });
  useBench.setState({ header: shown(facts) });
  await Promise.resolve();
  expect(found).toBeUndefined();
  useFraming.setState({ acting: 1, shownOf: draft });
  await Promise.resolve();
  expect(found).toBeUndefined();
  useFraming.setState({ acting: 0 });
  await vi.waitFor(() => expect(found).toBe(facts));
});

it("gives up rather than let a tool work on old places", async () => {
  expect(await factsSettled(15)).toBeNull();
});

const answered = (status: number, body: unknown) =>
  vi.stubGlobal("fetch", async () => {
    await Promise.resolve();
    return new Response(JSON.stringify(body), { status, headers: { "Content-Type": "application/json" } });
  });

it("an action of the server is saved with its words", async () => {
  const saved: Recipe[] = [];
  const keep = useBench.getState().forThis;
  useBench.setState({ forThis: () => (change) => void saved.push(change(draft)) });
  answered(200, { values: { framing: { angle: 1.4 } }, note: "Level by two lines." });
  const doing = act(3, { do: "lines" } as Parameters<typeof act>[1]);
  expect(useFraming.getState().acting).toBe(1);
  expect(await doing).toBe(true);
  expect(saved[0]?.framing.angle).toBe(1.4);
  expect(saved[0]?.tone).toEqual(draft.tone);
  expect(useNotices.getState().list.map((n) => n.text)).toEqual(["Level by two lines."]);
  expect(useFraming.getState().acting).toBe(0);
  useBench.setState({ forThis: keep });
});

it("an action that cannot be is said and changes nothing", async () => {
  answered(422, { error: "Two lines that cross are needed." });
  expect(await act(3, { do: "lines" } as Parameters<typeof act>[1])).toBe(false);
  expect(useNotices.getState().list).toMatchObject([{ text: "Two lines that cross are needed.", bad: true }]);
  expect([useFraming.getState().acting, useBench.getState().draft]).toEqual([0, draft]);
});

it("an answer for a frame that is no longer on the bench does nothing to the one that is", async () => {
  const save = vi.fn();
  const keep = useBench.getState().save;
  useBench.setState({ save });
  answered(200, { values: { framing: { angle: 9 } }, note: "" });
  const doing = act(3, { do: "lines" } as Parameters<typeof act>[1]);
  useBench.setState({ frame: 4 });
  expect(await doing).toBe(false);
  expect(save).not.toHaveBeenCalled();
  useBench.setState({ save: keep });
});
