"""Jobs as rows: submit, list, cancel, claim, finish, and take back from workers that died.

The row is written and committed before the workers are woken; a wake-up that is lost is made up for by the reaper.
"""

import time
import uuid
from typing import Any

from zincplate.services.context import Context, NotFound
from zincplate.store.models import Job, now

LEASE_S = 15.0
OUTSIDE_LEASE_S = 60.0
"""For work that no worker of ours does: the demo's camera needs some seconds for a frame."""
_OUTSIDE = "outside:"
ACTIVE = ("queued", "running")


def submit(context: Context, kind: str, title: str, **arguments: Any) -> Job:
    """A new job."""
    job = Job.create(id=str(uuid.uuid4()), kind=kind, title=title[:200], arguments=arguments, lease_until=time.time() + LEASE_S)
    context.wake(job.id)
    return job


def outside(kind: str, title: str, **arguments: Any) -> tuple[Job, str]:
    """A row for slow work that another process of ours does by itself, and the owner under which it reports. Its lease is renewed
    by :func:`renew`; when it runs out the row says that the work stopped."""
    owner = f"{_OUTSIDE}{uuid.uuid4().hex[:8]}"
    job = Job.create(
        id=str(uuid.uuid4()),
        kind=kind,
        title=title[:200],
        arguments=arguments,
        state="running",
        attempt=1,
        max_attempts=1,
        owner=owner,
        lease_until=time.time() + OUTSIDE_LEASE_S,
    )
    return job, owner


def as_dict(job: Job) -> dict[str, Any]:
    """JSON-ready facts of a job."""
    total = len(job.arguments.get("paths", ())) or int(job.arguments.get("files", 0))
    return {
        "id": job.id,
        "kind": job.kind,
        "title": job.title,
        "state": job.state,
        "progress": job.progress,
        "note": job.note,
        "result": job.result,
        "shoot": job.arguments.get("shoot_id"),
        "files": total,
        "files_done": round(job.progress * total),
        "created_at": job.created_at.isoformat(),
        "changed_at": job.changed_at.isoformat(),
    }


def recent(limit: int = 20) -> list[dict[str, Any]]:
    """Active jobs and the last finished ones, newest first."""
    return [as_dict(j) for j in Job.select().order_by(Job.created_at.desc()).limit(limit)]


def get(job_id: str) -> Job:
    """One job; raises :class:`NotFound`."""
    job = Job.get_or_none(Job.id == job_id)
    if job is None:
        raise NotFound("There is no such job.")
    return job


def cancel(job_id: str) -> dict[str, Any]:
    """Asks a job to stop; one that waits is stopped at once."""
    get(job_id)
    Job.update(cancel=True, changed_at=now()).where(Job.id == job_id, Job.state.in_(ACTIVE)).execute()
    Job.update(state="cancelled", changed_at=now()).where(Job.id == job_id, Job.state == "queued").execute()
    return as_dict(get(job_id))


def claim(job_id: str, owner: str) -> Job | None:
    """Takes a waiting job for a worker; only one worker can win it."""
    won = (
        Job.update(state="running", owner=owner, attempt=Job.attempt + 1, lease_until=time.time() + LEASE_S, changed_at=now())
        .where(Job.id == job_id, Job.state == "queued", Job.cancel == False)  # noqa: E712
        .execute()
    )
    return get(job_id) if won else None


def renew(job_id: str, owner: str, lease_s: float = LEASE_S) -> bool:
    """Extends the lease; False when the job is no longer this worker's."""
    return bool(
        Job.update(lease_until=time.time() + lease_s)
        .where(Job.id == job_id, Job.owner == owner, Job.state == "running")
        .execute()
    )


def report(job_id: str, owner: str, share: float, note: str) -> bool:
    """Writes progress; False when the job was cancelled or taken over."""
    mine = (Job.id == job_id) & (Job.owner == owner) & (Job.state == "running")
    Job.update(progress=share, note=note[:500], changed_at=now()).where(mine).execute()
    return bool(Job.select().where(mine, Job.cancel == False).exists())  # noqa: E712


def finish(job_id: str, owner: str, state: str, note: str = "", result: Any = None) -> None:
    """Ends a running job of this worker."""
    values: dict[str, Any] = {"state": state, "changed_at": now(), "result": result}
    if note:
        values["note"] = note[:500]
    if state == "done":
        values["progress"] = 1.0
    Job.update(**values).where(Job.id == job_id, Job.owner == owner, Job.state == "running").execute()


def put_back(job_id: str, owner: str, note: str) -> None:
    """Returns a job whose attempt failed unexpectedly to the queue, or fails it after the last attempt."""
    job = get(job_id)
    again = job.attempt < job.max_attempts
    Job.update(state="queued" if again else "failed", note=note[:500], lease_until=time.time() + 1.0, changed_at=now()).where(
        Job.id == job_id, Job.owner == owner, Job.state == "running"
    ).execute()


def reap(context: Context) -> int:
    """Takes back jobs whose lease ran out (their worker is dead, or the wake-up was lost); returns how many."""
    count = 0
    for job in Job.select().where(Job.state.in_(ACTIVE), Job.lease_until < time.time()):
        same = (Job.id == job.id) & (Job.owner == job.owner) & (Job.lease_until == job.lease_until)
        if job.cancel:
            count += Job.update(state="cancelled", changed_at=now()).where(same).execute()
        elif job.state == "running" and job.attempt >= job.max_attempts:
            times = f"It was started {job.attempt} times and its worker died each time."
            note = "It stopped before its end." if job.owner.startswith(_OUTSIDE) else times
            count += Job.update(state="failed", note=note, changed_at=now()).where(same).execute()
        else:
            won = Job.update(state="queued", owner="", lease_until=time.time() + LEASE_S).where(same).execute()
            if won:
                context.wake(job.id)
            count += won
    return count
