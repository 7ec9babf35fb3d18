import { useState } from "react";
import { api, need } from "../../api/client";
import type { components } from "../../api/generated/api";
import { LEFT_OUT_BY_HAND } from "../../api/generated/recipe";
import { useAskedJob } from "../../state/asked_job";
import { isActive } from "../../state/jobs";

type Schemas = components["schemas"];
export type BracketOptions = Schemas["BracketOptions"];
export type PanoramaOptions = Schemas["PanoramaOptions"];
export type FocusOptions = Schemas["FocusOptions"];
export type SeriesOptions = Schemas["SeriesOptions"];
export type Options = BracketOptions | PanoramaOptions | FocusOptions | SeriesOptions;
export type Report = Schemas["MergeReportOut"];

/** What looking at a merge found: the report, a picture of it, and outlines of what moved. */
export interface Judged extends Report {
  preview: string;
  width: number;
  height: number;
  outlines: Record<string, [number, number][][]>;
  /** Outlines of what each frame gives. */
  seams: [number, number][][];
  /** Places by which frames were laid on each other: x, y, and how far they lie apart in pixels. */
  points: [number, number, number][];
  focal_px?: number;
  /** Key of the depth map's picture. */
  depth?: string;
  /** Key of what it would be without what the merge is made for; empty where that is the same. */
  before?: string;
  across_degrees?: number;
}

const without = (list: readonly number[], one: number) => list.filter((n) => n !== one);

/** Options with a frame switched on or off by hand. */
export function switched(options: Options, frame: number, on: boolean): Options {
  const leave_out = without(options.leave_out ?? [], frame);
  if (!on) leave_out.push(frame);
  if (options.kind === "panorama") return { ...options, leave_out };
  // what is left out can be no reference
  const reference = !on && options.reference === frame ? null : (options.reference ?? null);
  if (options.kind === "focus") return { ...options, leave_out, reference };
  const take = without(options.take ?? [], frame);
  return { ...options, leave_out, reference, take: on ? [...take, frame] : take };
}

type Roles = NonNullable<SeriesOptions["roles"]>;

/** Roles with a frame called something by hand; null: what is found. */
export function called(roles: Roles, frame: number, role: Roles[string] | null): Roles {
  const { [frame]: _, ...others } = roles;
  return role ? { ...others, [frame]: role } : others;
}

/** Whether a frame is switched on: as it was found, and until that is known (`settled`) as the hand has it. */
export function isOn(
  options: Options,
  frame: number,
  row: Report["frames"][number] | undefined,
  settled: boolean,
): boolean {
  if (options.leave_out?.includes(frame)) return false;
  if (row && settled) return row.takes_part;
  if ("take" in options && options.take?.includes(frame)) return true;
  // switched on again, and not yet looked at with it
  return !row || row.takes_part || row.reason === LEFT_OUT_BY_HAND;
}

interface Looking {
  judged: Judged | null;
  /** 0 to 1 while it is looked at; the note of the job says at what. */
  progress: number;
  note: string;
  failed: string;
  busy: boolean;
}

/** Has a merge looked at, as a job, anew whenever its options change; what was found last stays until then. */
export function useJudgement(frames: readonly number[], options: Options): Looking {
  const [judged, setJudged] = useState<Judged | null>(null);
  const body = { frames: [...frames], options };
  const { job, failed } = useAskedJob(frames.length < 2 ? null : JSON.stringify(body), {
    start: () => need(api.POST("/api/merges/judge", { body })),
    done: (result) => setJudged(result as Judged),
    stopped: "Looking at the frames was stopped.",
  });
  const busy = !failed && (!job || isActive(job));
  return { judged, progress: job?.progress ?? 0, note: job?.note ?? "", failed, busy };
}
