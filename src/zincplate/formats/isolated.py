"""Decoding in a long-lived child process with limits on memory and time, pixels handed over by shared memory.

A file that crashes or stalls the decoder costs that file a sentence and nothing else: the child is started again.
"""

import atexit
import contextlib
import mmap
import os
import pickle
import resource
import secrets
import select
import struct
import subprocess
import sys
import threading
from collections.abc import Callable
from multiprocessing import resource_tracker, shared_memory
from pathlib import Path
from typing import IO, Any

import numpy as np

from zincplate.formats.capture import CaptureData
from zincplate.formats.decoded import Decoded
from zincplate.formats.errors import FileError
from zincplate.formats.preview import Preview
from zincplate.formats.turns import AT_ONCE, Turn, TurnLock

MEMORY_LIMIT = 6 << 30
TIMEOUT_S = 60.0
SHARED, SEGMENT = Path("/dev/shm"), "zincplate-"  # noqa: S108  (where POSIX shared memory stands on Linux)
"""Segments are named for the process that takes them over and the one that made them."""


class Decoder:
    """Thread-safe handle on one decoding child."""

    def __init__(self, memory_limit: int = MEMORY_LIMIT, timeout_s: float = TIMEOUT_S) -> None:
        self._memory_limit = memory_limit
        self._timeout_s = timeout_s
        self._lock = TurnLock()
        self._child: subprocess.Popen[bytes] | None = None
        atexit.register(self.close)

    def decode(self, path: Path, turn: Turn = AT_ONCE) -> Decoded:
        """Like :func:`zincplate.formats.decode.decode`; raises ``Superseded`` when it is not wanted any more by then."""
        result = self._ask("decode", path, turn)
        shape, dtype, name = result.pop("pixels")
        return Decoded(pixels=_adopt(name, shape, np.dtype(dtype)), **result)

    def ahead(self, path: Path) -> Callable[[], Decoded]:
        """Starts decoding and returns at once; the function returned waits for it, and raises what it raised."""
        found: list[Decoded | BaseException] = []

        def work() -> None:
            try:
                found.append(self.decode(path))
            except BaseException as error:  # whoever asks for the result gets it
                found.append(error)

        thread = threading.Thread(target=work, daemon=True)
        thread.start()

        def result() -> Decoded:
            thread.join()
            if isinstance(found[0], BaseException):
                raise found[0]
            return found[0]

        return result

    def facts(self, path: Path) -> tuple[CaptureData, Preview | None]:
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
                [sys.executable, "-m", "zincplate.formats.isolated"],
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
        _send(child.stdin, request)
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
            answer = _receive(answers)
            if answer is None:
                # it may have been killed for what others did: the file is blamed when it happens again
                self.close()
                answers = self._send_to_child((what, str(path)))
                ready, _, _ = select.select([answers], [], [], self._timeout_s)
                answer = _receive(answers) if ready else None
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


def _adopt(name: str, shape: tuple[int, ...], dtype: np.dtype[Any]) -> np.ndarray[Any, Any]:
    """Takes over a child's shared memory without copying it: it goes when the array goes."""
    place = SHARED / name
    try:
        with open(place, "r+b") as file:
            memory = mmap.mmap(file.fileno(), 0)
    finally:
        place.unlink(missing_ok=True)
    count = int(np.prod(shape))
    return np.frombuffer(memory, dtype, count).reshape(shape)


def _send(stream: Any, message: Any) -> None:
    data = pickle.dumps(message)
    stream.write(struct.pack("<Q", len(data)) + data)
    stream.flush()


def _receive(stream: Any) -> Any:
    head = stream.read(8)
    if len(head) < 8:
        return None
    data = stream.read(struct.unpack("<Q", head)[0])
    return pickle.loads(data) if data else None  # our own child's messages only


def _child_main() -> None:
    out = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)  # what libraries print must not reach the pipe
    limit = int(os.environ.get("ZINCPLATE_DECODER_MEMORY", MEMORY_LIMIT))
    resource.setrlimit(resource.RLIMIT_AS, (limit, limit))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    from zincplate.formats.decode import decode, facts

    while True:
        request = _receive(sys.stdin.buffer)
        if request is None:
            return
        what, path = request
        try:
            _send(out, ("ok", _decode_to_shared(decode(Path(path))) if what == "decode" else facts(Path(path))))
        except FileError as error:
            _send(out, ("refused", error.reason))
        except MemoryError:
            _send(out, ("refused", "It needs more memory than decoding may use."))
        except Exception:  # whatever a library throws becomes a sentence, the child lives on
            _send(out, ("refused", "It cannot be read: something in it is damaged, or of a kind that is not known here."))


def _decode_to_shared(result: Decoded) -> dict[str, Any]:
    pixels = result.pixels
    # under a name that says for whom it is, so that what a killed process left is known
    name = f"{SEGMENT}{os.getppid()}-{os.getpid()}-{secrets.token_hex(6)}"
    memory = shared_memory.SharedMemory(name, create=True, size=max(pixels.nbytes, 1))
    np.ndarray(pixels.shape, pixels.dtype, memory.buf)[...] = pixels
    fields = {k: getattr(result, k) for k in Decoded.__dataclass_fields__ if k != "pixels"}
    fields["pixels"] = (pixels.shape, pixels.dtype.str, memory.name)
    memory.close()
    resource_tracker.unregister(f"/{memory.name}", "shared_memory")  # the parent unlinks it
    return fields


if __name__ == "__main__":
    _child_main()
