import { X } from "lucide-react";
import { Popover } from "radix-ui";
import { api, type Job, need } from "../../api/client";
import { isActive, useJobs } from "../../state/jobs";
import { complain } from "../../state/notices";
import { go } from "../../state/route";
import { Button } from "../../ui/controls";

const STATES = {
  queued: "waiting",
  running: "running",
  done: "done",
  failed: "failed",
  cancelled: "cancelled",
} as const;

/** How many jobs run and how far they are; opens the list. */
export function JobsButton() {
  const jobs = useJobs((s) => s.jobs);
  const connected = useJobs((s) => s.connected);
  const active = jobs.filter(isActive);
  const share = active.length ? active.reduce((sum, j) => sum + j.progress, 0) / active.length : 0;
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button>
          {!connected
            ? "Not connected"
            : active.length
              ? `${active.length} job${active.length > 1 ? "s" : ""}, ${Math.round(share * 100)} %`
              : "Jobs"}
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={6}
          aria-label="Jobs"
          className="scroll-plain z-40 max-h-[70vh] w-96 border border-ink bg-sheet p-3 shadow-lg"
        >
          {jobs.length === 0 && <p className="text-ink2">Nothing has run yet.</p>}
          <ul className="flex flex-col gap-2.5">
            {jobs
              .filter((job, i) => isActive(job) || i < 12)
              .map((job) => (
                <JobRow key={job.id} job={job} />
              ))}
          </ul>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

export function JobRow({ job }: { job: Job }) {
  const cancel = () => need(api.DELETE("/api/jobs/{id}", { params: { path: { id: job.id } } })).catch(complain);
  const result = job.result as { shoot?: number; added?: number; already?: number; refused?: number } | null;
  return (
    <li className="text-sm">
      <div className="flex items-center gap-2">
        <span className="min-w-0 grow truncate font-medium">{job.title}</span>
        <span className={job.state === "failed" ? "font-semibold text-wax" : "text-ink2"}>
          {job.state === "running" ? `${Math.round(job.progress * 100)} %` : STATES[job.state]}
        </span>
        {isActive(job) && (
          <button
            type="button"
            aria-label={`Cancel: ${job.title}`}
            onClick={cancel}
            className="text-ink2 hover:text-ink"
          >
            <X size={15} aria-hidden />
          </button>
        )}
      </div>
      {isActive(job) && (
        <div
          className="mt-1 h-[5px] border border-ink3 bg-white"
          role="progressbar"
          aria-label={job.title}
          aria-valuenow={Math.round(job.progress * 100)}
          aria-valuemin={0}
          aria-valuemax={100}
        >
          <div className="h-full bg-ink" style={{ width: `${job.progress * 100}%` }} />
        </div>
      )}
      {job.note && job.state !== "done" && <p className="mt-0.5 text-xs text-ink2">{job.note}</p>}
      {job.kind === "bring_in" && job.state === "done" && result && (
        <p className="mt-0.5 text-xs text-ink2">
          {result.added} brought in
          {result.already ? `, ${result.already} already there` : ""}
          {result.refused ? `, ${result.refused} refused` : ""}.{" "}
          {result.shoot && (
            <button
              type="button"
              className="underline"
              onClick={() => go({ place: "sheet", shoot: result.shoot as number })}
            >
              Open the shoot
            </button>
          )}
        </p>
      )}
    </li>
  );
}
