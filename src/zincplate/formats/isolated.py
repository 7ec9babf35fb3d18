"""Decoding in a long-lived child process with limits on memory and time, pixels handed over by shared memory.

A file that crashes or stalls the decoder costs that file a sentence and nothing else: the child is started again.
"""

import atexit
import contextlib
import math
import mmap
import os
import select
import subprocess
import sys
import threading
from collections.abc import Callable
from pathlib import Path
from typing import IO, TYPE_CHECKING, Any

from zincplate.formats.decoder_wire import MEMORY_LIMIT, SEGMENT, SHARED, receive, send
from zincplate.formats.errors import FileError
from zincplate.formats.turns import AT_ONCE, Turn, TurnLock

if TYPE_CHECKING:  # the child has them; a handle on it need not wait for numpy
    import numpy as np

    from zincplate.formats.capture import CaptureData
    from zincplate.formats.decoded import Decoded
    from zincplate.formats.preview_pictures import Preview

TIMEOUT_S = 60.0


class Decoder:
    """Thread-safe handle on one decoding child."""

    def __init__(self, memory_limit: int = MEMORY_LIMIT, timeout_s: float = TIMEOUT_S) -> None:
        self._memory_limit = memory_limit
        self._timeout_s = timeout_s
        self._lock = TurnLock()
        self._child: subprocess.Popen[bytes] | None = None
        atexit.register(self.close)

    def decode(self, path: Path, turn: Turn = AT_ONCE) -> "Decoded":
        """Like :func:`zincplate.formats.decode.decode`; raises ``Superseded`` when it is not wanted any more by then."""
        from zincplate.formats.decoded import Decoded

        result = self._ask("decode", path, turn)
        shape, dtype, name = result.pop("pixels")
        return Decoded(pixels=_adopt(name, shape, dtype), **result)

    def ahead(self, path: Path) -> "Callable[[], Decoded]":
        """Starts decoding and returns at once; the function returned waits for it, and raises what it raised."""
        found: list[Decoded | BaseException] = []

        def work() -> None:
            try:
                found.append(self.decode(path))
            except BaseException as error:  # whoever asks for the result gets it
                found.append(error)

        thread = threading.Thread(target=work, daemon=True)
        thread.start()

        def result() -> "Decoded":
            thread.join()
            if isinstance(found[0], BaseException):
                raise found[0]
            return found[0]

        return result

    def start(self) -> None:
        """Starts the child, so that it gets ready while the caller does something else."""
        with self._lock.held(AT_ONCE):
            self._started()

    def facts(self, path: Path) -> "tuple[CaptureData, Preview | None]":
        """Like :func:`zincplate.formats.decode.facts`."""
        capture, preview = self._ask("facts", path)
        return capture, preview

    @property
    def process_ids(self) -> list[int]:
        """The running child, if any."""
        return [self._child.pid] if self._child is not None else []

    def close(self) -> None:
        """Ends the child."""
        child, self._child = self._child, None
        if child is not None:
            child.kill()
            child.wait()
            for left in SHARED.glob(f"{SEGMENT}{os.getpid()}-{child.pid}-*"):
                left.unlink(missing_ok=True)
            for stream in (child.stdin, child.stdout):
                if stream is not None:
                    with contextlib.suppress(OSError):
                        stream.close()

    def _started(self) -> subprocess.Popen[bytes]:
        if self._child is None or self._child.poll() is not None:
            self.close()
            environment = {
                **os.environ,
                "ZINCPLATE_DECODER_MEMORY": str(self._memory_limit),
                "PYTHONPATH": os.pathsep.join(p for p in sys.path if p),
            }
            self._child = subprocess.Popen(
                [sys.executable, "-m", "zincplate.formats.decoder_child"],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
                env=environment,
            )
        return self._child

    def _send_to_child(self, request: tuple[str, str]) -> IO[bytes]:
        """Sends to the child, started if need be; returns the stream on which it answers."""
        child = self._started()
        assert child.stdin is not None and child.stdout is not None
        send(child.stdin, request)
        return child.stdout

    def _ask(self, what: str, path: Path, turn: Turn = AT_ONCE) -> Any:
        with self._lock.held(turn):
            try:
                answers = self._send_to_child((what, str(path)))
            except OSError:  # it died since the last request: that is not this file's fault
                self.close()
                answers = self._send_to_child((what, str(path)))
            ready, _, _ = select.select([answers], [], [], self._timeout_s)
            if not ready:
                self.close()
                raise FileError(path, f"Reading it took longer than {self._timeout_s:.0f} seconds and was stopped.")
            answer = receive(answers)
            if answer is None:
                # it may have been killed for what others did: the file is blamed when it happens again
                self.close()
                answers = self._send_to_child((what, str(path)))
                ready, _, _ = select.select([answers], [], [], self._timeout_s)
                answer = receive(answers) if ready else None
            if answer is None:
                self.close()
                raise FileError(path, "Reading it brought the decoder down twice; the file is damaged.")
        kind, value = answer
        if kind == "refused":
            raise FileError(path, value)
        return value


def sweep() -> int:
    """Removes shared memory that processes left which are gone; returns how much. For the start command."""
    count = 0
    for place in SHARED.glob(f"{SEGMENT}*"):
        owner = place.name.removeprefix(SEGMENT).partition("-")[0]
        if owner.isascii() and owner.isdigit() and not Path(f"/proc/{owner}").exists():
            place.unlink(missing_ok=True)
            count += 1
    return count


def _adopt(name: str, shape: tuple[int, ...], dtype: str) -> "np.ndarray[Any, Any]":
    """Takes over a child's shared memory without copying it: it goes when the array goes."""
    import numpy as np

    place = SHARED / name
    try:
        with open(place, "r+b") as file:
            memory = mmap.mmap(file.fileno(), 0)
    finally:
        place.unlink(missing_ok=True)
    return np.frombuffer(memory, np.dtype(dtype), math.prod(shape)).reshape(shape)
