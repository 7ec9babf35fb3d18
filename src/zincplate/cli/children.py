"""Child processes that do not outlive the one that started them."""

import ctypes
import signal


def die_with_parent() -> None:
    """For ``preexec_fn``: a kill -9 of the parent must not leave a web server on the port, or a camera at work (Linux)."""
    ctypes.CDLL(None).prctl(1, signal.SIGTERM)
