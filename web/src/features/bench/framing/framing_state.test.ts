import { beforeEach, expect, it, vi } from "vitest";
import { NEUTRAL, type Recipe } from "../../../api/generated/recipe";
import type { FramingFacts, ViewHeader } from "../../../api/view";
import { useBench } from "../../../state/bench";
import { useNotices } from "../../../state/notices";
import {
  act,
  factsNow,
  factsSettled,
  holdLines,
  linesNow,
  type PlaneLine,
  sendLines,
  useFraming,
} from "./framing_state";

const facts = { plane: [0, 0, 900, 600] } as unknown as FramingFacts;
const shown = (framing: FramingFacts | null) => ({ framing }) as unknown as ViewHeader;
let draft: Recipe;
beforeEach(() => {
  draft = structuredClone(NEUTRAL.raw);
  useFraming.setState({ shownOf: null, acting: 0, lines: null, crop: null });
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
  useBench.setState({
    forThis: () => ({ isOpen: () => true, recipe: () => draft, save: (change) => void saved.push(change(draft)) }),
  });
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

/** A server that answers when it is told to; asked holds what came. */
function held() {
  const asked: { recipe: Recipe; action: { do: string; lines: PlaneLine[] } }[] = [];
  const answers: (() => void)[] = [];
  vi.stubGlobal("fetch", async (request: Request) => {
    const body = await request.json();
    asked.push(body);
    await new Promise<void>((done) => answers.push(done));
    const angle = body.recipe.framing.angle + 1;
    return new Response(JSON.stringify({ values: { framing: { angle } }, note: "" }), {
      headers: { "Content-Type": "application/json" },
    });
  });
  return { asked, answer: () => vi.waitFor(() => (answers.length ? answers.shift()?.() : Promise.reject())) };
}

/** A bench whose saves are in the draft at once. */
function opened() {
  const before = useBench.getState().forThis;
  const forThis = () => ({
    isOpen: () => true,
    recipe: () => useBench.getState().draft,
    save: (change: (r: Recipe) => Recipe) =>
      useBench.setState((s) => ({ draft: s.draft && change(structuredClone(s.draft)) })),
  });
  useBench.setState({ forThis });
  return () => useBench.setState({ forThis: before });
}

const line = (x: number): PlaneLine => ({ id: `${x}`, along: "plumb", start: [x, 0], end: [x, 100] });

it("actions are worked out one after the other: two turns are two", async () => {
  const close = opened();
  const { asked, answer } = held();
  const both = Promise.all([act(3, { do: "turn_left" }), act(3, { do: "turn_left" })]);
  await answer();
  await answer();
  expect(await both).toEqual([true, true]);
  expect(asked.map((a) => a.recipe.framing.angle)).toEqual([0, 1]);
  expect(useBench.getState().draft?.framing.angle).toBe(2);
  close();
});

it("a line drawn before the picture of the one before has come joins it, where it was seen", async () => {
  const close = opened();
  const { asked, answer } = held();
  useFraming.setState({ shownOf: draft });
  sendLines(3, [line(10)]);
  await answer();
  await vi.waitFor(() => expect(useFraming.getState().acting).toBe(0));
  // the answer is there, its picture is not: the line stays as it was drawn
  expect(linesNow([])).toEqual([line(10)]);
  sendLines(3, [...linesNow([]), line(70)]);
  await answer();
  await vi.waitFor(() => expect(useFraming.getState().acting).toBe(0));
  expect(asked[1]?.action.lines).toEqual([line(10), line(70)]);
  expect(asked[1]?.recipe.framing.angle, "places count on the picture that was seen").toBe(0);
  useFraming.setState({ shownOf: useBench.getState().draft });
  expect(useFraming.getState().lines).toBeNull();
  close();
});

it("what the hand is still on is not dropped by a picture that comes", () => {
  useFraming.setState({ shownOf: draft });
  holdLines([line(20)]);
  const next = structuredClone(draft);
  useBench.setState({ draft: next });
  useFraming.setState({ shownOf: next });
  expect(useFraming.getState().lines).toMatchObject({ what: [line(20)], of: draft, sent: false });
});

it("lines that cannot be solved go back to what was there", async () => {
  answered(422, { error: "The lines cross." });
  sendLines(3, [line(10)]);
  await vi.waitFor(() => expect(useFraming.getState().lines).toBeNull());
});
