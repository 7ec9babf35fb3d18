import { create } from "zustand";
import { api, need } from "../api/client";
import type { components } from "../api/generated/api";
import { alone } from "./alone";
import { resultOf } from "./jobs";
import { memorise, recalled } from "./memory";
import { complain, useNotices } from "./notices";
import { queryClient } from "./queries";
import { followVersions, settledVersions } from "./savers";
import { announceMany } from "./tab";

type Schemas = components["schemas"];
export type CarryBody = Partial<Schemas["Carry"]> & Pick<Schemas["Carry"], "targets">;
export type Carried = Schemas["CarriedOut"];
export type Adjustment = Schemas["AdjustmentOut"];

interface Carrying {
  /** The version whose adjustments were copied, and what of them. */
  copied: { version: number; name: string } | null;
  /** The frame that was corrected last: "same as last" takes from it. */
  last: { frame: number; version: number; name: string } | null;
}

export const useCarrying = create<Carrying>(() => ({ copied: null, last: null }));

const KEY = "zincplate.carried";

/** Adjustments that were left out, or taken in although they are left out at first, the last time. */
export function rememberedChoice(): Record<string, boolean> {
  return (recalled(KEY) ?? {}) as Record<string, boolean>;
}

export function rememberChoice(choice: Record<string, boolean>): void {
  memorise(KEY, { ...rememberedChoice(), ...choice });
}

/** Framing and areas belong to one frame: they are left out until they are asked for. */
export const takenAtFirst = (a: Adjustment): boolean =>
  rememberedChoice()[a.id] ?? (a.step !== "framing" && a.step !== "passes" && a.step !== "repair");

export const adjustmentsOf = async (version: number): Promise<Adjustment[]> => {
  await settledVersions();
  return (await need(api.GET("/api/versions/{id}/adjustments", { params: { path: { id: version } } }))).adjustments;
};

const PLAIN = {
  source: null,
  preset: null,
  strength: 1,
  reset: false,
  operations: [],
  as_change: [],
  words: "",
  areas: "as_drawn",
  joining: "replace",
} as const;

const counted = (n: number, one: string) => `${n} ${one}${n === 1 ? "" : "s"}`;

/** Carries passes whose areas are found again on every frame: a job, whose result is that of any carry. */
async function found(body: Schemas["Carry"]): Promise<Carried> {
  const { say } = useNotices.getState();
  say(`Looking on ${counted(body.targets.length, "frame")} ...`);
  const job = await resultOf(await need(api.POST("/api/carry/found", { body })));
  const done = job as Carried & { told: string[] };
  if (done.told.length) say(done.told.slice(0, 4).join(" "), true);
  return done;
}

/** Puts adjustments on many frames as one step, and says what came of it. A second press while it is under way is no second step. */
export const carry = (body: CarryBody): Promise<Carried | null> => alone(["carry", body], () => carried(body));

async function carried(body: CarryBody): Promise<Carried | null> {
  try {
    await settledVersions();
    const asked = { ...PLAIN, operations: [], as_change: [], request_key: crypto.randomUUID(), ...body };
    const done =
      asked.areas === "found_again" ? await found(asked) : await need(api.POST("/api/carry", { body: asked }));
    changedElsewhere(done.changed);
    const { say } = useNotices.getState();
    const refused = done.refused.map((r) => `${r.frame}: ${r.reason}`).join(" ");
    if (done.bulk !== null)
      say(`${done.words} (${counted(done.changed.length, "frame")}).${refused ? ` ${refused}` : ""}`, refused !== "", {
        words: "Undo",
        run: () => void undoStep(done.bulk as number),
      });
    else say(refused || "These frames are like that already.", refused !== "");
    return done;
  } catch (error) {
    complain(error);
    return null;
  }
}

/** Puts what was copied, or what another frame has, on some: its touched adjustments, as they were chosen the last time. */
export async function takeFrom(from: { version: number; name: string } | null, onto: readonly number[]): Promise<void> {
  const { say } = useNotices.getState();
  const targets = onto.filter((v) => v !== from?.version).map((version) => ({ version, values: {} }));
  if (!from) say("Nothing was copied or corrected yet.");
  else if (!targets.length) say("This is the frame itself.");
  else
    try {
      const list = await adjustmentsOf(from.version);
      const operations = list.filter((a) => a.touched && takenAtFirst(a)).map((a) => a.id);
      if (operations.length) await carry({ source: from.version, operations, targets });
      else say(`${from.name} has nothing adjusted that is carried.`);
    } catch (error) {
      complain(error);
    }
}

export const pasteOn = (onto: readonly number[]): Promise<void> => takeFrom(useCarrying.getState().copied, onto);

/** Lists and open versions hear of what was changed on the server. */
function changedElsewhere(versions: readonly number[]): void {
  followVersions(versions);
  announceMany(versions);
  for (const key of ["frames", "shoots", "ledger", "versions"]) void queryClient.invalidateQueries({ queryKey: [key] });
}

const moveStep = (bulk: number, way: "undo" | "redo"): Promise<void> =>
  alone(["step", bulk, way], () => movedStep(bulk, way));

async function movedStep(bulk: number, way: "undo" | "redo"): Promise<void> {
  try {
    await settledVersions();
    const path = { params: { path: { id: bulk } } };
    const done = await need(
      way === "undo" ? api.POST("/api/bulk/{id}/undo", path) : api.POST("/api/bulk/{id}/redo", path),
    );
    changedElsewhere(done.changed);
    const left = done.left.length
      ? ` Left as they are, since they were changed since: ${done.left.slice(0, 6).join(", ")}${done.left.length > 6 ? ` and ${done.left.length - 6} more` : ""}.`
      : "";
    useNotices
      .getState()
      .say(
        `${done.words}: ${way === "undo" ? "taken back" : "made again"} for ${counted(done.changed.length, "frame")}.${left}`,
        left !== "",
        {
          words: way === "undo" ? "Do it again" : "Undo",
          run: () => void moveStep(bulk, way === "undo" ? "redo" : "undo"),
        },
      );
  } catch (error) {
    complain(error);
  }
}

export const undoStep = (bulk: number): Promise<void> => moveStep(bulk, "undo");

/** Takes back the newest step over many frames of a shoot, also one of before a reload. */
export async function undoNewestStep(shoot: number): Promise<void> {
  try {
    const { steps } = await need(api.GET("/api/bulk", { params: { query: { shoot } } }));
    const newest = steps.find((s) => !s.undone);
    if (newest) await undoStep(newest.bulk);
    else useNotices.getState().say("There is no step over several frames to take back.");
  } catch (error) {
    complain(error);
  }
}
