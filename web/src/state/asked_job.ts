import { useEffect, useRef, useState } from "react";
import { api, type Job, need } from "../api/client";
import { isActive, useJobs } from "./jobs";

interface Asked {
  /** As it is told by the server; undefined until it is known. */
  job: Job | undefined;
  failed: string;
}

interface Ways {
  start: () => Promise<Job>;
  done: (result: unknown) => void;
  /** What is said of a job that ended without a word of its own. */
  stopped: string;
}

/**
 * A job that answers what is asked now, told by its key (null asks nothing). When something else is asked it is stopped, however
 * late it becomes known which one it was: it would only keep the next one waiting.
 */
export function useAskedJob(key: string | null, ways: Ways): Asked {
  const [id, setId] = useState<string | null>(null);
  const [failed, setFailed] = useState("");
  const job = useJobs((s) => s.jobs.find((j) => j.id === id));
  const now = useRef(ways);
  now.current = ways;
  useEffect(() => {
    setId(null);
    setFailed("");
    if (key === null) return;
    let wanted = true;
    let started: string | null = null;
    const stop = (one: string) => void api.DELETE("/api/jobs/{id}", { params: { path: { id: one } } }).catch(() => {});
    now.current
      .start()
      .then((answer) => {
        if (!wanted) return stop(answer.id);
        started = answer.id;
        setId(answer.id);
      })
      .catch((e: unknown) => wanted && setFailed(e instanceof Error ? e.message : String(e)));
    return () => {
      wanted = false;
      if (started) stop(started);
    };
  }, [key]);
  const ended = job !== undefined && !isActive(job);
  useEffect(() => {
    if (!id || !ended) return;
    let wanted = true;
    need(api.GET("/api/jobs/{id}", { params: { path: { id } } }))
      .then((whole) => {
        if (!wanted) return;
        if (whole.state === "done") now.current.done(whole.result);
        else setFailed(whole.note || now.current.stopped);
      })
      .catch((e: unknown) => wanted && setFailed(e instanceof Error ? e.message : String(e)));
    return () => {
      wanted = false;
    };
  }, [id, ended]);
  return { job, failed };
}
