import { useEffect, useState } from "react";
import { api, need } from "../../api/client";
import { useAskedJob } from "../../state/asked_job";
import { settledVersions } from "../../state/savers";

/** What a frame differs by from the one that is carried from. */
export interface FitRow {
  version: number;
  fits: boolean;
  exposure_ev: number;
  mired: number;
  tint: number;
  measured: boolean;
  likeness: number;
  reasons: string[];
  /** What its exposure and balance would be to look like the source. */
  own: Record<string, Record<string, number>>;
}

export interface EvenRow {
  version: number;
  values: Record<string, Record<string, number>>;
  left_over_ev: number;
  reason: string;
}

interface Result<Row> {
  rows: Row[];
  refused: { version: number; reason: string }[];
}

export interface Comparison<Row> {
  /** By version; null until the measuring is done. */
  rows: ReadonlyMap<number, Row> | null;
  refused: ReadonlyMap<number, string>;
  /** 0 to 1 while it is measured. */
  progress: number;
  failed: string;
}

const EMPTY: ReadonlyMap<number, string> = new Map();

/** Has frames measured against a source, as a job; starts anew when what is compared changes. */
export function useComparison<Row extends { version: number }>(
  kind: "fit" | "even",
  source: number | null,
  versions: readonly number[],
  balance = true,
): Comparison<Row> {
  const [result, setResult] = useState<Result<Row> | null>(null);
  const body = { source: source ?? 0, versions: [...versions], balance };
  const key = source === null || !versions.length ? null : JSON.stringify([kind, body]);
  const { job, failed } = useAskedJob(key, {
    start: async () => {
      await settledVersions();
      return need(kind === "fit" ? api.POST("/api/fit", { body }) : api.POST("/api/even", { body }));
    },
    done: (found) => setResult(found as Result<Row>),
    stopped: "The measuring was stopped.",
  });
  // biome-ignore lint/correctness/useExhaustiveDependencies: what was found for something else is told no more
  useEffect(() => setResult(null), [key]);
  return {
    rows: result ? new Map(result.rows.map((r) => [r.version, r])) : null,
    refused: result ? new Map(result.refused.map((r) => [r.version, r.reason])) : EMPTY,
    progress: job?.progress ?? 0,
    failed,
  };
}

/** "0.48 EV darker, 15 mired cooler": what a difference is called beside a picture. */
export function differenceWords(row: Pick<FitRow, "exposure_ev" | "mired" | "tint">): string {
  const words = [
    Math.abs(row.exposure_ev) >= 0.07
      ? `${Math.abs(row.exposure_ev).toFixed(2)} EV ${row.exposure_ev > 0 ? "lighter" : "darker"}`
      : "",
    Math.abs(row.mired) >= 4 ? `${Math.abs(row.mired)} mired ${row.mired > 0 ? "warmer" : "cooler"}` : "",
    Math.abs(row.tint) >= 4 ? `${Math.abs(row.tint)} ${row.tint > 0 ? "greener" : "more magenta"}` : "",
  ].filter(Boolean);
  return words.length ? words.join(", ") : "the same light";
}
