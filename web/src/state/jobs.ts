import { create } from "zustand";
import { api, type Job, need } from "../api/client";

import { followStream } from "./stream";

interface Jobs {
  jobs: Job[];
  connected: boolean;
  available: boolean;
}

export const useJobs = create<Jobs>(() => ({ jobs: [], connected: false, available: true }));

export const isActive = (job: Job): boolean => job.state === "queued" || job.state === "running";

export interface Change {
  job: Job;
  before: Job | undefined;
}

/** Kinds of jobs that somebody waits for where they are asked for, who is told there. */
const WAITED_FOR: ReadonlySet<string> = new Set(["judge", "fit", "even"]);

/** Whether a job has failed now, without anybody who waits for it. */
export const failsUnseen = ({ job, before }: Change): boolean =>
  job.state === "failed" && before !== undefined && before.state !== "failed" && !WAITED_FOR.has(job.kind);

/** Follows the event stream; calls back with the jobs of a message whose state or progress changed. */
export function listen(changed: (changes: Change[]) => void): () => void {
  return followStream("/api/events", (text) => {
    if (text === null) {
      useJobs.setState({ connected: false });
      return;
    }
    const data = JSON.parse(text) as { jobs?: Job[]; unavailable?: boolean };
    if (data.unavailable) {
      useJobs.setState({ available: false, connected: true });
      return;
    }
    const before = new Map(useJobs.getState().jobs.map((job) => [job.id, job]));
    const jobs = data.jobs ?? [];
    useJobs.setState({ jobs, connected: true, available: true });
    const changes = jobs
      .map((job) => ({ job, before: before.get(job.id) }))
      .filter(({ job, before: old }) => !old || old.state !== job.state || old.progress !== job.progress);
    if (changes.length) changed(changes);
  });
}

/** What a job comes to, when it ends; an error in its own words when it fails or is stopped. */
export function resultOf(job: Job): Promise<Record<string, unknown>> {
  return new Promise((resolve, reject) => {
    let asked = false;
    const look = (list: readonly Job[]) => {
      const now = list.find((j) => j.id === job.id);
      if (asked || !now || isActive(now)) return;
      asked = true;
      stop();
      need(api.GET("/api/jobs/{id}", { params: { path: { id: job.id } } }))
        .then((whole) =>
          whole.state === "done"
            ? resolve(whole.result as Record<string, unknown>)
            : reject(new Error(whole.note || "This was stopped.")),
        )
        .catch(reject);
    };
    const stop = useJobs.subscribe((s) => look(s.jobs));
    look(useJobs.getState().jobs);
  });
}
