"""The decoding child: reads requests from its standard input, one after the other, under limits of its own."""

import os
import resource
import sys
from pathlib import Path
from typing import Any

import numpy as np

from zincplate.formats.decode import decode, facts
from zincplate.formats.decoded import Decoded
from zincplate.formats.decoder_wire import MEMORY_LIMIT, SEGMENT, receive, send
from zincplate.formats.errors import FileError


def main() -> None:
    """Answers until its standard input ends."""
    out = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)  # what libraries print must not reach the pipe
    limit = int(os.environ.get("ZINCPLATE_DECODER_MEMORY", MEMORY_LIMIT))
    resource.setrlimit(resource.RLIMIT_AS, (limit, limit))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    while True:
        request = receive(sys.stdin.buffer)
        if request is None:
            return
        what, path = request
        try:
            send(out, ("ok", _decode_to_shared(decode(Path(path))) if what == "decode" else facts(Path(path))))
        except FileError as error:
            send(out, ("refused", error.reason))
        except MemoryError:
            send(out, ("refused", "It needs more memory than decoding may use."))
        except Exception:  # whatever a library throws becomes a sentence, the child lives on
            send(out, ("refused", "It cannot be read: something in it is damaged, or of a kind that is not known here."))


def _decode_to_shared(result: Decoded) -> dict[str, Any]:
    # facts are asked for alone, and are to come at once
    from multiprocessing import resource_tracker, shared_memory

    pixels = result.pixels
    # under a name that says for whom it is, so that what a killed process left is known
    name = f"{SEGMENT}{os.getppid()}-{os.getpid()}-{os.urandom(6).hex()}"
    memory = shared_memory.SharedMemory(name, create=True, size=max(pixels.nbytes, 1))
    np.ndarray(pixels.shape, pixels.dtype, memory.buf)[...] = pixels
    fields = {k: getattr(result, k) for k in Decoded.__dataclass_fields__ if k != "pixels"}
    fields["pixels"] = (pixels.shape, pixels.dtype.str, memory.name)
    memory.close()
    resource_tracker.unregister(f"/{memory.name}", "shared_memory")  # the parent unlinks it
    return fields


if __name__ == "__main__":
    main()
