import type { Job } from "../../api/client";
import { isActive, useJobs } from "../../state/jobs";

/** "about 2 min left", once enough is done to tell; empty before. */
export function timeLeft(job: Pick<Job, "created_at" | "progress">, now = Date.now()): string {
  const took = now - Date.parse(`${job.created_at}Z`);
  if (job.progress < 0.05 || job.progress >= 1 || took < 2000) return "";
  const seconds = (took * (1 - job.progress)) / job.progress / 1000;
  return seconds < 90
    ? `about ${Math.max(Math.round(seconds / 5) * 5, 5)} s left`
    : `about ${Math.round(seconds / 60)} min left`;
}

/** What is still on its way to this shoot: how many of how many. */
export function Coming({ shoot }: { shoot: number }) {
  const jobs = useJobs((s) => s.jobs);
  const active = jobs.filter((j) => j.shoot === shoot && isActive(j) && j.files > 0);
  const camera = active.find((j) => j.kind === "camera");
  const others = active.filter((j) => j.kind === "bring_in");
  const sum = (of: "files" | "files_done") => others.reduce((n, j) => n + j[of], 0);
  const words = [
    camera ? `${camera.files_done} of ${camera.files} taken` : "",
    others.length && !camera ? `${sum("files_done")} of ${sum("files")} brought in` : "",
  ].filter(Boolean);
  const slowest = camera ?? others[0];
  const left = slowest ? timeLeft(slowest) : "";
  if (left && words.length) words.push(left);
  return (
    <span
      role="status"
      title={words.join(", ")}
      className="flex min-w-0 items-center gap-2 whitespace-nowrap font-medium"
    >
      {words.length > 0 && (
        <>
          <span className="block h-[7px] w-12 shrink-0 border border-ink3 bg-white" aria-hidden>
            <span
              className="block h-full bg-ink"
              style={{
                width: `${(100 * (camera?.files_done ?? sum("files_done"))) / (camera?.files ?? sum("files"))}%`,
              }}
            />
          </span>
          <span className="truncate">{words.join(", ")}</span>
        </>
      )}
    </span>
  );
}
