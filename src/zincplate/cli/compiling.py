"""Compiles all kernels, on two processor cores where there are two: one goes through what is to be compiled from the front, one
from the back, and each finds what the other has kept."""

import fcntl
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

from numba.core import caching

from zincplate.cli.children import die_with_parent
from zincplate.cli.warm import parts


def compile_all(backwards: bool = False) -> int:
    """Compiles what is not kept yet; returns the exit code. ``backwards``: as the second process, from the end."""
    _one_writes_at_a_time()
    second = None
    if not backwards and len(os.sched_getaffinity(0)) > 1:
        command = [sys.executable, "-W", "ignore", "-m", "zincplate.cli.main", "warm", "--backwards"]
        second = subprocess.Popen(command, preexec_fn=die_with_parent)
    work = parts()
    for part in reversed(work) if backwards else work:
        part()
    # everything is here now, so the other one has kept its share; it need not run through the rest
    if second is not None:
        second.terminate()
        second.wait()
    return 0


def _one_writes_at_a_time() -> None:
    """Two processes that keep different types of one kernel at the same moment would write over each other: numba reads its list
    of them, adds a line and writes it back."""
    kept = caching.IndexDataCacheFile.save

    def save(self: Any, key: Any, data: Any) -> None:
        with (Path(self._cache_path) / "lock").open("w") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX)
            kept(self, key, data)

    caching.IndexDataCacheFile.save = save
