"""Jobs as rows: submit, list, cancel, claim, finish, and take back from workers that died.

The row is written and committed before the workers are woken. Running jobs are leased, waiting ones are not: a worker that ends
one looks for the next by itself, and a wake-up that is lost while none works is made up for by the reaper.
"""

import logging
import time
import uuid
from datetime import timedelta
from typing import Any

import peewee

from zincplate.services.context import Context, NotFound
from zincplate.store.models import Job, now

log = logging.getLogger(__name__)

LEASE_S = 15.0
KEPT, KEPT_FOR = 500, timedelta(days=30)
"""Finished jobs that are remembered."""
UNHEARD = timedelta(seconds=5)
"""A job that waits this long while no worker works was not heard of."""
OUTSIDE_LEASE_S = 60.0
"""For work that no worker of ours does: the demo's camera needs some seconds for a frame."""
_OUTSIDE = "outside:"
ACTIVE = ("queued", "running")


def submit(context: Context, kind: str, title: str, request_key: str = "", **arguments: Any) -> Job:
    """A new job, or the one that was started by the same request. Once its row stands nothing fails any more: a wake-up that does
    not get through is made up for."""
    if request_key and (known := of_request(request_key)) is not None:
        return known
    try:
        job = Job.create(id=str(uuid.uuid4()), kind=kind, title=title[:200], arguments=arguments, request_key=request_key or None)
    except peewee.IntegrityError:
        known = of_request(request_key)
        if known is None:
            raise
        return known
    prune()
    _wake(context, job.id)
    return job


def of_request(request_key: str) -> Job | None:
    """The job that a request has started."""
    return Job.get_or_none(Job.request_key == request_key) if request_key else None


def _wake(context: Context, job_id: str) -> None:
    try:
        context.wake(job_id)
    except Exception as error:
        log.warning("job %s: the workers could not be woken (%s); they find it by themselves", job_id, error)


def prune() -> None:
    """Forgets finished jobs: those of more than 30 days ago, and all but the newest 500."""
    finished = Job.state.not_in(ACTIVE)
    Job.delete().where(finished, Job.changed_at < now() - KEPT_FOR).execute()
    oldest = Job.select(Job.changed_at).where(finished).order_by(Job.changed_at.desc()).offset(KEPT).limit(1).first()
    if oldest is not None:
        Job.delete().where(finished, Job.changed_at <= oldest.changed_at).execute()


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


LONGEST_RESULT = 2_000
"""Characters of a result that lists of jobs hold; longer ones are told one job at a time."""


def as_dict(job: Job, whole: bool = False) -> dict[str, Any]:
    """JSON-ready facts of a job; ``whole`` with its result however long."""
    listed = whole or len(str(job.result)) <= LONGEST_RESULT
    total = len(job.arguments.get("paths", ())) or int(job.arguments.get("files", 0))
    return {
        "id": job.id,
        "kind": job.kind,
        "title": job.title,
        "state": job.state,
        "progress": job.progress,
        "note": job.note,
        "result": job.result if listed else None,
        "shoot": job.arguments.get("shoot_id"),
        "files": total,
        "files_done": round(job.progress * total),
        "created_at": job.created_at.isoformat(),
        "changed_at": job.changed_at.isoformat(),
    }


def recent(limit: int = 20) -> list[dict[str, Any]]:
    """All active jobs and the last finished ones, newest first."""
    active = list(Job.select().where(Job.state.in_(ACTIVE)))
    finished = list(Job.select().where(Job.state.not_in(ACTIVE)).order_by(Job.created_at.desc()).limit(limit))
    return [as_dict(j) for j in sorted(active + finished, key=lambda j: j.created_at, reverse=True)]


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


def oldest_waiting() -> str | None:
    """Id of the job whose turn it is, for a worker that has time."""
    job = Job.select(Job.id).where(_waits()).order_by(Job.created_at).first()
    return None if job is None else job.id


def waiting(kind: str, **arguments: Any) -> Job | None:
    """A job of a kind, about the same, that no worker has taken yet: it will see all that is there by then."""
    queued = Job.select().where(Job.kind == kind, Job.state == "queued", Job.cancel == False, Job.attempt == 0)  # noqa: E712
    return next((job for job in queued if all(job.arguments.get(k) == v for k, v in arguments.items())), None)


def _waits() -> Any:
    return (Job.state == "queued") & (Job.cancel == False) & (Job.lease_until <= time.time())  # noqa: E712


def claim(job_id: str, owner: str) -> Job | None:
    """Takes a waiting job for a worker; only one worker can win it."""
    won = (
        Job.update(
            state="running",
            owner=owner,
            attempt=Job.attempt + 1,
            tried_from=Job.progress,
            lease_until=time.time() + LEASE_S,
            changed_at=now(),
        )
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
    """Takes back running jobs whose lease ran out (their worker is dead) and wakes a worker when jobs wait although none runs
    (the wake-up was lost); returns how many were looked after."""
    count = 0
    for job in Job.select().where(Job.state == "running", Job.lease_until < time.time()):
        same = (Job.id == job.id) & (Job.owner == job.owner) & (Job.lease_until == job.lease_until)
        if job.cancel:
            count += Job.update(state="cancelled", changed_at=now()).where(same).execute()
        elif job.attempt >= job.max_attempts and (job.progress <= job.tried_from or job.owner.startswith(_OUTSIDE)):
            times = f"It was started {job.attempt} times and its worker died each time."
            note = "It stopped before its end." if job.owner.startswith(_OUTSIDE) else times
            count += Job.update(state="failed", note=note, changed_at=now()).where(same).execute()
        else:
            # one that gets on is not given up, however often its worker dies
            attempt = 0 if job.progress > job.tried_from else job.attempt
            again = Job.update(state="queued", owner="", attempt=attempt, lease_until=0.0, changed_at=now())
            won = again.where(same).execute()
            if won:
                _wake(context, job.id)
            count += won
    ours = Job.state == "running", ~Job.owner.startswith(_OUTSIDE)
    # a worker that ends a job looks for the next by itself: only when none runs can a wake-up have been lost
    if not Job.select().where(*ours).exists():
        waiting = Job.select(Job.id).where(_waits(), Job.changed_at < now() - UNHEARD).order_by(Job.created_at).first()
        if waiting is not None:
            _wake(context, waiting.id)
            count += 1
    return count
