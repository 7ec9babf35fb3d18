import { create } from "zustand";
import { api, type Job, need } from "../api/client";
import { isActive, useJobs } from "./jobs";
import { complain, useNotices } from "./notices";
import { go } from "./route";

interface Started {
  job: string;
  shoot: number;
}

/** Masters that are being made, by what they are made of: who asked for one may be elsewhere when it is there. */
export const useMaking = create<Record<string, Started>>(() => ({}));

export function startedMaking(key: string, started: Started): void {
  useMaking.setState({ [key]: started });
  // it may have ended before it was known which one it is
  const job = useJobs.getState().jobs.find((j) => j.id === started.job);
  if (job) void tellMade(job);
}

/** Says that a master is there, once, wherever one is by then. A failure is told as that of any job. */
export async function tellMade(job: Job): Promise<void> {
  const key = Object.entries(useMaking.getState()).find(([, one]) => one.job === job.id)?.[0];
  if (key === undefined || isActive(job)) return;
  const { [key]: mine, ...others } = useMaking.getState();
  useMaking.setState(others, true);
  if (!mine || job.state !== "done") return;
  try {
    const done = await need(api.GET("/api/jobs/{id}", { params: { path: { id: job.id } } }));
    const made = done.result as { frame: number; name: string };
    useNotices.getState().say(`${made.name} is made.`, false, {
      words: "Develop it",
      run: () => go({ place: "bench", shoot: mine.shoot, frame: made.frame, step: "tone" }),
    });
  } catch (e) {
    complain(e);
  }
}
