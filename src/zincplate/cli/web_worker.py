"""gunicorn's thread worker with an end to waiting for the other side.

A thread is held from the first byte of a request on. Something that sends half a header and then nothing (another local program
is enough) would hold it for ever, and sixty-four of those the whole application. So reading ends after a while: a header has to
be there at once, a body at a rate that any program on the same machine reaches.
"""

import socket
import threading
import time
from typing import Any

from gunicorn.workers.gthread import DEFAULT_WORKER_DATA_TIMEOUT, ThreadWorker

HEADER_S = 3.0
BODY_S = 20.0
BODY_BYTES_PER_S = 1 << 20
_LOOK_S = 0.5


class BoundedWorker(ThreadWorker):
    """Ends the reading side of a connection whose request does not come to its end; an answer can still be written."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self._reading: dict[int, tuple[Any, float]] = {}
        self._lock = threading.Lock()

    def init_process(self) -> None:
        """Starts the watch beside the worker."""
        threading.Thread(target=self._watch, daemon=True).start()
        super().init_process()

    def handle(self, conn: Any) -> Any:
        """One request on a connection, its header within a few seconds of its first byte."""
        if not conn.initialized and not conn.wait_for_data(DEFAULT_WORKER_DATA_TIMEOUT):
            return super().handle(conn)  # no first byte: gunicorn gives the thread back and watches the connection
        self._until(conn, HEADER_S)
        try:
            return super().handle(conn)
        finally:
            with self._lock:
                self._reading.pop(id(conn), None)

    def handle_request(self, req: Any, conn: Any) -> Any:
        """The header is there; the body may take as long as its length asks for."""
        lengths = [value for name, value in req.headers if name.upper() == "CONTENT-LENGTH"]
        length = int(lengths[0]) if lengths and lengths[0].isdigit() else 0
        self._until(conn, BODY_S + length / BODY_BYTES_PER_S)
        return super().handle_request(req, conn)

    def _until(self, conn: Any, seconds: float) -> None:
        with self._lock:
            self._reading[id(conn)] = (conn, time.monotonic() + seconds)

    def _watch(self) -> None:
        while True:
            time.sleep(_LOOK_S)
            now = time.monotonic()
            with self._lock:
                late = [conn for conn, end in self._reading.values() if end < now]
                for conn in late:
                    self._reading.pop(id(conn))
            for conn in late:
                try:
                    conn.sock.shutdown(socket.SHUT_RD)
                except OSError:
                    continue  # it is closed already
