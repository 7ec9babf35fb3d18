import { api, need } from "../../api/client";
import type { components } from "../../api/generated/api";
import { alone } from "../../state/alone";
import { complain, useNotices } from "../../state/notices";
import { queryClient } from "../../state/queries";

type Before = components["schemas"]["Arranged"];

export const refresh = () => void queryClient.invalidateQueries({ queryKey: ["frames"] });

async function undo(before: Before[]): Promise<void> {
  try {
    await need(api.POST("/api/frames/arrangement/undo", { body: { before } }));
  } catch (error) {
    complain(error);
  }
  refresh();
}

/** Does something that can be undone with how things were before, and says so; `what` is done once, however often it is pressed. */
const arrange = (what: unknown[], words: string, run: () => Promise<{ before: Before[] }>): Promise<boolean> =>
  alone(["arrange", ...what], () => arranged(words, run));

async function arranged(words: string, run: () => Promise<{ before: Before[] }>): Promise<boolean> {
  try {
    const { before } = await run();
    useNotices
      .getState()
      .say(words, false, before.length ? { words: "Undo", run: () => void undo(before) } : undefined);
    refresh();
    return true;
  } catch (error) {
    complain(error);
    return false;
  }
}

const many = (n: number): string => `${n} frame${n === 1 ? "" : "s"}`;

export const rename = (frames: number[], pattern: string, first_number: number) =>
  arrange([frames, pattern, first_number], `${many(frames.length)} renamed. The files keep their names.`, () =>
    need(api.PATCH("/api/frames/names", { body: { frames, pattern, first_number } })),
  );

export const putInto = (frames: number[], folder: string) =>
  arrange(
    [frames, folder],
    `${many(frames.length)} ${folder.trim() ? `put into ${folder.trim()}` : "taken out of their folders"}.`,
    () => need(api.PATCH("/api/frames/folder", { body: { frames, folder } })),
  );

export const moveBefore = (shoot: number, frames: number[], before: number | null) =>
  arrange([shoot, frames, before], `${many(frames.length)} moved.`, () =>
    need(api.POST("/api/shoots/{id}/order", { params: { path: { id: shoot } }, body: { frames, before } })),
  );

/**
 * Where a step to the left or right takes chosen frames in an order by hand: the frame they come before, null for the end,
 * undefined when there is nowhere to go. Chosen frames gather where the first (last) of them stands.
 */
export function stepTarget(
  shown: readonly number[],
  chosen: ReadonlySet<number>,
  step: 1 | -1,
): number | null | undefined {
  const places = shown.flatMap((id, i) => (chosen.has(id) ? [i] : []));
  const first = places[0];
  const last = places.at(-1);
  if (first === undefined || last === undefined) return undefined;
  const others = (from: number, by: 1 | -1): number => {
    let at = from;
    while (at >= 0 && at < shown.length && chosen.has(shown[at] as number)) at += by;
    return at;
  };
  if (step < 0) {
    const at = others(first - 1, -1);
    return at < 0 ? undefined : shown[at];
  }
  const past = others(last + 1, 1);
  if (past >= shown.length) return undefined;
  const after = others(past + 1, 1);
  return after >= shown.length ? null : shown[after];
}
