"""The processes of an installation: found by the home that they work on, told apart by what they run, and killed."""

import contextlib
import os
import signal
from dataclasses import dataclass
from pathlib import Path

KINDS = ("web", "web master", "workers", "worker", "decoder", "database", "launcher")


@dataclass(frozen=True)
class Process:
    """A running process of ours."""

    pid: int
    parent: int
    kind: str


def _read(place: Path) -> bytes:
    try:
        return place.read_bytes()
    except OSError:
        return b""


def _parent(process: Path) -> int:
    fields = _read(process / "stat").rpartition(b")")[2].split()
    return int(fields[1]) if len(fields) > 1 else 0


def of_home(home: Path, launcher: int) -> list[Process]:
    """Everything that runs for a home; ``launcher`` is the process id of what started it."""
    mark = f"ZINCPLATE_HOME={home}".encode()
    rows: list[tuple[int, int, bytes]] = []
    for process in Path("/proc").glob("[0-9]*"):
        command = _read(process / "cmdline")
        if mark in _read(process / "environ").split(b"\0") or str(home).encode() in command:
            rows.append((int(process.name), _parent(process), command))
    webs = {pid for pid, _, command in rows if b"zincplate.cli.wsgi" in command}
    workers = {pid for pid, _, command in rows if b"zincplate.jobs.worker" in command}
    found = []
    for pid, parent, command in rows:
        kind = ""
        if pid == launcher:
            kind = "launcher"
        elif pid in webs:
            kind = "web" if parent in webs else "web master"
        elif pid in workers:
            kind = "worker" if parent in workers else "workers"
        elif b"zincplate.formats.decoder_child" in command:
            kind = "decoder"
        elif b"mariadbd" in command:
            kind = "database"
        if kind:
            found.append(Process(pid, parent, kind))
    return found


def kill(process: Process) -> bool:
    """Without a chance to tidy up; whether it was still there."""
    with contextlib.suppress(ProcessLookupError, PermissionError):
        os.kill(process.pid, signal.SIGKILL)
        return True
    return False
