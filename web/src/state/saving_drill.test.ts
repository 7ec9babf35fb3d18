import { describe, expect, it } from "vitest";
import { ApiError, type Version } from "../api/client";
import type { Recipe } from "../api/generated/recipe";
import { patched } from "./patch";
import { put, setUp } from "./saver_for_tests";
import type { Entry } from "./saving";

/** Repeatable random numbers (Lehmer 1951, MINSTD). */
function random(seed: number) {
  let state = seed;
  return (below: number) => {
    state = (state * 48271) % 2147483647;
    return state % below;
  };
}

describe("drill", () => {
  it.each([11, 22, 33])(
    "500 random deeds with late, lost and repeated answers end as they were made (%i)",
    async (seed) => {
      const roll = random(seed);
      const tools = setUp();
      const { server, requests } = tools;
      let { saver } = tools;
      // what the photographer believes: a history of its own, one step for each deed
      let steps: Recipe[] = [server.recipe];
      let at = 0;
      for (let i = 0; i < 500; i++) {
        const what = roll(12);
        if (what < 7) {
          const control = ["exposure_ev", "contrast", "shadows", "highlights"][roll(4)] as string;
          const recipe = patched(steps[at] as Recipe, {
            values: { tone: { [control]: (i + 1) / 1000 } },
            switches: {},
          });
          saver.add(put({ tone: { [control]: (i + 1) / 1000 } }));
          steps = [...steps.slice(0, at + 1), recipe];
          at += 1;
        } else if (what === 7) {
          if (saver.mayUndo) saver.add({ do: "undo" });
          at = Math.max(at - 1, 0);
        } else if (what === 8) {
          if (saver.mayRedo) saver.add({ do: "redo" });
          at = Math.min(at + 1, steps.length - 1);
        } else if (what === 9 && requests.length) {
          const fate = roll(3);
          if (fate === 0)
            server.change((requests[0] as { revision: number }).revision, (requests[0] as { entry: Entry }).entry);
          await tools.next(fate < 2 ? new ApiError(0, "lost") : undefined);
        } else if (what === 10 && roll(8) === 0) {
          const left = structuredClone(tools.kept()) as Entry[];
          if (roll(2) && requests[0]) server.change(requests[0].revision, requests[0].entry);
          requests.length = 0;
          saver = tools.make();
          saver.resume(left);
        } else if (requests.length) await tools.next();
        // what is seen is what was done, whatever is still on its way
        expect(saver.recipe).toEqual(steps[at]);
        expect([saver.mayUndo, saver.mayRedo]).toEqual([at > 0, at < steps.length - 1]);
      }
      await tools.all();
      expect(server.position).toBe(at);
      expect(server.steps.map((s) => s.recipe)).toEqual(steps);
      expect(saver.recipe).toEqual(steps[at]);
      // answers told parts of the history only: what stands here is all of it
      const told = ({ position, words, gesture }: Version["history"][number]) => [position, words, gesture];
      expect(saver.version.history.map(told)).toEqual(server.state().history.map(told));
      expect(tools.told.filter((t) => !t.text.startsWith("lost"))).toEqual([]);
    },
  );
});
