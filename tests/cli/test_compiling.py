"""Kernels compiled by two processes at once."""

import fcntl
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest
from numba.core import caching

from zincplate.cli.compiling import _one_writes_at_a_time


def test_one_process_at_a_time_keeps_a_kernel(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    held, kept = [], []

    def save(_: Any, key: str, data: bytes) -> None:
        with (tmp_path / "lock").open("w") as other:
            try:
                fcntl.flock(other, fcntl.LOCK_EX | fcntl.LOCK_NB)
                held.append(False)
            except BlockingIOError:
                held.append(True)
        kept.append((key, data))

    monkeypatch.setattr(caching.IndexDataCacheFile, "save", save)
    _one_writes_at_a_time()
    for key in ("float32", "uint8"):
        caching.IndexDataCacheFile.save(SimpleNamespace(_cache_path=str(tmp_path)), key, key.encode())
    assert held == [True, True] and kept == [("float32", b"float32"), ("uint8", b"uint8")]
    with (tmp_path / "lock").open("w") as free:
        fcntl.flock(free, fcntl.LOCK_EX | fcntl.LOCK_NB)
