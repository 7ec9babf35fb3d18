"""Jobs, and the one event stream of a page."""

import json
import threading
import time
from collections.abc import Iterator
from typing import Any

from flask import Response
from flask_openapi3 import APIBlueprint

from zincplate.api import models as m
from zincplate.services import work
from zincplate.store.database import BUSY, UNAVAILABLE, database

api = APIBlueprint("jobs", __name__, url_prefix="/api", abp_responses={422: m.ErrorOut})

_LOOK_S, _IDLE_LOOK_S, _KEEP_ALIVE_S, _LIFE_S = 0.25, 0.75, 5.0, 3600.0
STREAMS = 16
"""At once: each holds a thread. The tabs of a browser share one."""
_streams = threading.BoundedSemaphore(STREAMS)


@api.get("/jobs", responses={200: m.JobsOut})
def jobs() -> Any:
    """Active jobs and the last finished ones."""
    return {"jobs": work.recent()}


@api.get("/jobs/<string:id>", responses={200: m.JobOut})
def one(path: m.JobPath) -> Any:
    """One job with its whole result."""
    return work.as_dict(work.get(path.id), whole=True)


@api.delete("/jobs/<string:id>", responses={200: m.JobOut})
def cancel(path: m.JobPath) -> Any:
    """Asks a job to stop."""
    return work.cancel(path.id)


@api.get("/events")
def events() -> Any:
    """Server-sent events: the list of jobs, whenever it changes. A connection is taken for each look, not for life."""
    if not _streams.acquire(blocking=False):
        return {"error": f"{STREAMS} pages are listening already. Close one."}, 503, {"Retry-After": "10"}

    def stream() -> Iterator[str]:
        last, spoke, end = "", time.monotonic(), time.monotonic() + _LIFE_S
        while time.monotonic() < end:
            active = False
            try:
                with database.connection_context():
                    rows = work.recent()
                active = any(r["state"] in work.ACTIVE for r in rows)
                text = json.dumps({"jobs": rows})
            except (*UNAVAILABLE, *BUSY):
                text = json.dumps({"unavailable": True})
            if text != last:
                last, spoke = text, time.monotonic()
                yield f"data: {text}\n\n"
            elif time.monotonic() - spoke > _KEEP_ALIVE_S:
                spoke = time.monotonic()
                yield ": still here\n\n"
            time.sleep(_LOOK_S if active else _IDLE_LOOK_S)

    answer = Response(stream(), mimetype="text/event-stream", headers={"Cache-Control": "no-cache"})
    answer.call_on_close(_streams.release)
    return answer
