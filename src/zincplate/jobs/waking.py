"""Waking a worker from another process than its own."""

import os
from collections.abc import Callable

from zincplate.store.home import Home


def waker(home: Home) -> Callable[[str], None]:
    """A function that puts a job's id into the queue; the worker's task is imported when first used."""

    def wake(job_id: str) -> None:
        os.environ["ZINCPLATE_HOME"] = str(home.root)
        from zincplate.jobs import worker

        worker.wake(job_id)

    return wake
