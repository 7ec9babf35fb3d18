"""The worker processes: ``python -m zincplate.jobs.worker [processes]``."""

import ctypes
import logging
import os
import signal
import sys
import threading
import time

from zincplate.jobs.queue import make_queue
from zincplate.jobs.runner import next_waiting, run
from zincplate.services.context import WORKER_SHARE, Context
from zincplate.store.database import connect
from zincplate.store.home import Home

SHUTDOWN_S = 20
"""For the job in hand to come to its end."""
_LOOK_S = 2.0

home = Home.from_environment()
huey = make_queue(home)
_context: list[Context] = []


@huey.task()
def run_job(job_id: str) -> None:
    """The only task: everything else stands in the job's row."""
    if not _context:
        connect(home, pool=6)
        _context.append(Context(home, wake=wake, share=WORKER_SHARE))
    run(_context[0], job_id)
    # and whatever waits: its own message then finds it done
    while (waiting := next_waiting()) is not None:
        run(_context[0], waiting)


def wake(job_id: str) -> None:
    """Puts a job's id into the queue; the connection for that is given back."""
    database = huey.storage.database
    opened = database.connect(reuse_if_open=True)
    try:
        run_job(job_id)
    finally:
        if opened:
            database.close()


def _die_with_parent() -> None:
    ctypes.CDLL(None).prctl(1, signal.SIGKILL)


def _end_after(parent: int) -> None:
    """Ends this process, and with it its workers, a while after its parent is gone: asked to stop while the database is away, a
    consumer may wait for its queue for ever."""
    while os.getppid() == parent:
        time.sleep(_LOOK_S)
    time.sleep(SHUTDOWN_S + _LOOK_S)
    os._exit(1)


def main() -> None:
    """Runs worker processes until told to stop."""
    threading.Thread(target=_end_after, args=(os.getppid(),), daemon=True).start()
    logging.basicConfig(level=logging.WARNING, format="%(asctime)s %(process)d %(levelname)s %(message)s")
    # while the database is started again the queue cannot be read: the start command says so once, huey would each time
    logging.getLogger("huey").setLevel(logging.CRITICAL)
    os.register_at_fork(after_in_child=_die_with_parent)
    os.nice(5)  # looking and editing come first
    huey.create_consumer(
        workers=int(sys.argv[1]) if len(sys.argv) > 1 else 2,
        worker_type="process",
        initial_delay=0.05,
        max_delay=0.5,  # huey's ten seconds would make an idle queue feel dead
        backoff=1.15,
        periodic=False,
        health_check_interval=1,
        graceful_signal="TERM",
        shutdown_timeout=SHUTDOWN_S,
    ).run()


if __name__ == "__main__":
    # under its importable name, so that the tasks carry the same name as in the web process
    from zincplate.jobs import worker

    worker.main()
