"""Running one job: claim, heartbeat, body, end."""

import logging
import os
import threading
import uuid
from typing import Any

from zincplate.formats.errors import FileError
from zincplate.render.strips import Cancelled
from zincplate.services import bring_in, carry_areas, deliver, light, merges, pictures, sets, work
from zincplate.services.context import Context, UserError
from zincplate.services.job_kinds import JobKind
from zincplate.store.database import NO_ROOM, UNAVAILABLE, database, without_room

log = logging.getLogger(__name__)

KINDS: dict[str, JobKind[Any]] = {
    kind.name: kind
    for kind in (
        bring_in.KIND,
        pictures.SMALL_PICTURES,
        deliver.KIND,
        light.FIT,
        light.EVEN,
        sets.KIND,
        merges.JUDGE,
        merges.MERGE,
        carry_areas.KIND,
    )
}
"""Every kind of job that workers do."""


class Running:
    """What a body gets; a thread renews the lease meanwhile."""

    def __init__(self, job_id: str, owner: str) -> None:
        self._id, self._owner = job_id, owner
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._beat, daemon=True)
        self._thread.start()

    @property
    def id(self) -> str:
        """The job's id."""
        return self._id

    def _beat(self) -> None:
        while not self._stop.wait(work.LEASE_S / 3):
            try:
                with database.connection_context():
                    if not work.renew(self._id, self._owner):
                        return
            except UNAVAILABLE:
                log.warning("job %s: the database does not answer; trying again", self._id)

    def progress(self, share: float, note: str = "") -> None:
        """Writes progress; raises :class:`Cancelled` when the job is no longer wanted or no longer this worker's."""
        if not work.report(self._id, self._owner, share, note):
            raise Cancelled

    def close(self) -> None:
        """Ends the heartbeat."""
        self._stop.set()
        self._thread.join()


def next_waiting() -> str | None:
    """Id of a job that waits."""
    with database.connection_context():
        return work.oldest_waiting()


def run(context: Context, job_id: str) -> None:
    """Runs a job if it still waits. What a body raises ends the attempt, never the worker."""
    owner = f"{os.getpid()}:{uuid.uuid4().hex[:8]}"
    with database.connection_context():
        job = work.claim(job_id, owner)
        if job is None:
            return
        running = Running(job_id, owner)
        try:
            result = KINDS[job.kind].run(context, running, job.arguments)
        except Cancelled:
            work.finish(job_id, owner, "cancelled")
        except (FileError, UserError) as error:
            work.finish(job_id, owner, "failed", str(error))
        except UNAVAILABLE as error:
            if not without_room(error):
                raise  # the lease runs out and another worker takes over
            work.finish(job_id, owner, "failed", NO_ROOM)
        except Exception as error:
            log.exception("job %s failed", job_id)
            work.put_back(job_id, owner, f"{type(error).__name__}: {error}")
        else:
            work.finish(job_id, owner, "done", result=result)
        finally:
            running.close()
