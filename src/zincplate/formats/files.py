"""Files that are whole or not there: written under a name of their own, flushed, then linked or moved to their name.

The one place where this is done. Temporary names are unique for each write, not for each process: many threads may write the
same file at once.
"""

import os
import secrets
import shutil
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import IO

_ENDING = ".part"
_NOBODY_WRITES_S = 3600.0
LONGEST_NAME_BYTES = 255
"""What file systems take for one name (POSIX NAME_MAX on Linux)."""


def temporary_beside(path: Path) -> Path:
    """A hidden name in the folder of ``path`` that nobody else uses; never longer than a name may be. It tells whose it is."""
    token = f".{os.getpid()}-{secrets.token_hex(8)}{_ENDING}"
    kept = path.name.encode("utf-8", "surrogateescape")[: LONGEST_NAME_BYTES - len(token) - 1]
    return path.with_name(f".{kept.decode('utf-8', 'ignore')}{token}")


def sweep_parts(*folders: Path) -> int:
    """Removes files and folders that killed processes had begun to write; returns how many. What a running one writes stays."""
    count = 0
    for folder in folders:
        for place, inner, names in os.walk(folder):
            for name in (*names, *inner):
                if not (name.startswith(".") and name.endswith(_ENDING)):
                    continue
                writer, dash, _ = name.removesuffix(_ENDING).rpartition(".")[2].partition("-")
                path = Path(place) / name
                alive = writer.isascii() and writer.isdigit() and Path(f"/proc/{writer}").exists()
                with suppress(OSError):
                    # written by an older program: no process is named, but nobody writes for an hour
                    if not alive and (dash or time.time() - path.stat().st_mtime > _NOBODY_WRITES_S):
                        if path.is_dir():
                            shutil.rmtree(path)
                        else:
                            path.unlink()
                        count += 1
    return count


@contextmanager
def whole_file(path: Path, *, replace: bool, mode: int | None = None) -> Iterator[IO[bytes]]:
    """A file to write into that becomes ``path`` when the block ends, and nothing when it raises.

    ``replace`` puts it in the place of what is there; without it ``FileExistsError`` is raised when the name is taken, also by a
    file that came meanwhile. ``mode`` are its permission bits. Raises ``OSError`` as the operating system does.
    """
    temporary = temporary_beside(path)
    try:
        with open(temporary, "xb") as file:
            yield file
            file.flush()
            os.fsync(file.fileno())
        if mode is not None:
            temporary.chmod(mode)
        if replace:
            os.replace(temporary, path)
        else:
            os.link(temporary, path)
    finally:
        with suppress(OSError):
            temporary.unlink(missing_ok=True)


def write_file(path: Path, data: bytes, *, replace: bool = True) -> None:
    """All of ``data`` under ``path``, its folder made if need be."""
    path.parent.mkdir(parents=True, exist_ok=True)
    with whole_file(path, replace=replace) as file:
        file.write(data)
