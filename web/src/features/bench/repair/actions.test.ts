import { beforeEach, expect, it, vi } from "vitest";
import { api, type Frame } from "../../../api/client";
import { NEUTRAL } from "../../../api/generated/recipe";
import { useBench } from "../../../state/bench";
import { putDown, useRepairs } from "../../../state/repairs";
import { pickColour, pickOn } from "./actions";

const frame = { id: 1 } as Frame;
let answers: (() => void)[] = [];

beforeEach(() => {
  answers = [];
  putDown();
  useRepairs.setState({ colour: null });
  useBench.setState({ frame: 1, draft: NEUTRAL.raw });
  vi.spyOn(api, "POST").mockImplementation((async (_path: string, { body }: { body: { x: number } }) => {
    await new Promise<void>((answer) => answers.push(answer));
    return { data: { colour: [body.x, 0.2, 0.3] }, response: new Response("{}") };
  }) as never);
});

const pick = (x: number) => pickColour(frame, [x, 0.5], pickOn(frame));

it("the colour of the newest pick counts, however late the one before it is told", async () => {
  const [first, second] = [pick(0.25), pick(0.75)];
  answers[1]?.();
  await second;
  expect(useRepairs.getState()).toMatchObject({ colour: [0.75, 0.2, 0.3], anchor: [0.75, 0.5] });
  answers[0]?.();
  await first;
  expect(useRepairs.getState()).toMatchObject({ colour: [0.75, 0.2, 0.3], anchor: [0.75, 0.5] });
});

it("a colour that is told when another frame is open is not taken there", async () => {
  const late = pick(0.25);
  useBench.setState({ frame: 2 });
  answers[0]?.();
  await late;
  expect(useRepairs.getState()).toMatchObject({ colour: null, anchor: null });
});
