import type { components } from "../api/generated/api";

type Schemas = components["schemas"];
type Columns = Schemas["FrameColumns"];
type Answer = Schemas["FramesOut"];

/** One frame of a shoot, as lists show it. */
export type Frame = { [K in keyof Columns]: Columns[K][number] };

export interface Frames {
  id: number;
  name: string;
  /** What to ask with the next time: only what changed since is sent. */
  stamp: string;
  frames: Frame[];
  sets: FrameSet[];
  /** Folder that is watched for new files; empty when none is. */
  watched: string;
  refusals: Schemas["RefusalOut"][];
}

export type FrameSet = Schemas["SetOut"];

/** Columns of one length as rows. */
export function rowsOf(columns: Columns): Frame[] {
  const names = Object.keys(columns) as (keyof Columns)[];
  return columns.id.map((_, i) => {
    const row: Record<string, unknown> = {};
    for (const name of names) row[name] = columns[name][i];
    return row as Frame;
  });
}

/** In the order they were taken; frames without a time come last. */
export function inTime(a: Frame, b: Frame): number {
  if (a.captured_at !== b.captured_at) {
    if (!a.captured_at || !b.captured_at) return a.captured_at ? -1 : 1;
    return a.captured_at < b.captured_at ? -1 : 1;
  }
  return a.name === b.name ? a.id - b.id : a.name < b.name ? -1 : 1;
}

/** A whole list, or what is known brought up to date by what changed. Frames that did not change stay the same objects. */
export function brought(before: Frames | undefined, answer: Answer): Frames {
  const { id, name, stamp, refusals, sets, watched } = answer;
  const news = rowsOf(answer.columns);
  if (!before) return { id, name, stamp, refusals, sets, watched, frames: news };
  if (!news.length && !answer.removed.length) return { ...before, name, stamp, refusals, sets, watched };
  const changed = new Map(news.map((f) => [f.id, f]));
  const gone = new Set(answer.removed);
  const kept = before.frames.filter((f) => !gone.has(f.id)).map((f) => changed.get(f.id) ?? f);
  const known = new Set(before.frames.map((f) => f.id));
  const fresh = news.filter((f) => !known.has(f.id));
  return { id, name, stamp, refusals, sets, watched, frames: [...kept, ...fresh].sort(inTime) };
}
