import type { Version } from "../api/client";
import { type Deed, type Entry, Saver } from "./saving";
import { VersionForTests } from "./server_for_tests";

export const put = (values: Record<string, Record<string, unknown>>, gesture = ""): Deed => ({
  do: "set",
  patch: { values, switches: {} },
  gesture,
});
export const exposure = (ev: number, gesture = "") => put({ tone: { exposure_ev: ev } }, gesture);
export const contrast = (n: number) => put({ tone: { contrast: n } });
export const off = (step: string): Deed => ({
  do: "set",
  patch: { values: {}, switches: { [step]: false } },
  gesture: "",
});

/** A saver whose server answers when the test says so. */
export function setUp(server = new VersionForTests(1)) {
  const told: { text: string; bad: boolean; run?: () => void }[] = [];
  const requests: { entry: Entry; revision: number; answer: (error?: unknown) => Promise<void> }[] = [];
  let kept: readonly Entry[] = [];
  let ids = 0;
  const quiet = async () => {
    for (let i = 0; i < 30; i++) await Promise.resolve();
  };
  const make = () =>
    new Saver(server.state(), {
      send: (_id, revision, entry) =>
        new Promise<Version>((resolve, reject) => {
          requests.push({
            entry,
            revision,
            answer: async (error) => {
              try {
                if (error) throw error;
                resolve(server.change(revision, entry));
              } catch (e) {
                reject(e);
              }
              await quiet();
            },
          });
        }),
      keep: (_id, waiting) => {
        kept = waiting;
      },
      changed: () => {},
      tell: (text, bad, action) => told.push({ text, bad, ...(action ? { run: action.run } : {}) }),
      newId: () => `${server.id}-${ids++}-${Math.random()}`,
      pause: async () => {},
    });
  const next = async (error?: unknown) => {
    const request = requests.shift();
    if (!request) throw new Error("nothing was sent");
    await request.answer(error);
    return request;
  };
  const all = async () => {
    while (requests.length) await next();
  };
  return { server, saver: make(), make, told, requests, next, all, kept: () => kept };
}
