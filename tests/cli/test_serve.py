"""The start command: everything up, killed parts come back, a taken port, a clean end."""

import os
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.conftest import free_port
from zincplate.cli.open_library import OpenLibrary
from zincplate.store.home import Home
from zincplate.store.mariadb import Maria

_STARTED: "list[subprocess.Popen[str]]" = []


@pytest.fixture
def root() -> Iterator[Path]:
    """A home with a short path."""
    path = Path(tempfile.mkdtemp(prefix="zp"))
    path.chmod(0o711)
    yield path
    for process in _STARTED:
        if process.poll() is None:  # a failed check must not leave a server behind
            process.terminate()
            process.wait(30)
    _STARTED.clear()
    Maria(path).stop()
    shutil.rmtree(path, ignore_errors=True)


def start(root: Path, port: int) -> "subprocess.Popen[str]":
    """The start command."""
    environment = {**os.environ, "ZINCPLATE_HOME": str(root), "PYTHONPATH": "src"}
    command = [sys.executable, "-W", "ignore", "-m", "zincplate.cli.main", "start", "--port", str(port)]
    process = subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)
    _STARTED.append(process)
    return process


def answers(port: int, seconds: float) -> float:
    """Seconds until the API answers."""
    begin = time.monotonic()
    while time.monotonic() - begin < seconds:
        try:
            with urllib.request.urlopen(f"http://127.0.0.1:{port}/api/shoots", timeout=5):
                return time.monotonic() - begin
        except (OSError, urllib.error.HTTPError):
            time.sleep(0.05)
    raise AssertionError("the API did not answer")


def pids(port: int) -> list[int]:
    """gunicorn's processes on a port, the master first."""
    found = []
    for entry in Path("/proc").iterdir():
        if entry.name.isdigit():
            try:
                command = (entry / "cmdline").read_bytes()
            except OSError:
                continue
            if b"gunicorn" in command and f"127.0.0.1:{port}".encode() in command:
                found.append(int(entry.name))
    return sorted(found)


def test_killed_parts_come_back_and_it_ends_cleanly(root: Path) -> None:
    port = free_port()
    running = start(root, port)
    try:
        answers(port, 60)
        web = pids(port)
        os.kill(web[0], signal.SIGKILL)
        for pid in web[1:]:
            os.kill(pid, signal.SIGKILL)
        time.sleep(0.3)
        answers(port, 30)
        database = Maria(root).running_pid()
        assert database is not None
        os.kill(database, signal.SIGKILL)
        end = time.monotonic() + 30
        while Maria(root).running_pid() in (None, database) and time.monotonic() < end:
            time.sleep(0.05)
        answers(port, 30)
    finally:
        running.send_signal(signal.SIGINT)
        output, _ = running.communicate(timeout=60)
    assert running.returncode == 0 and output.rstrip().endswith("stopped"), output
    assert Maria(root).running_pid() is None and not pids(port)
    again = start(root, port)
    answers(port, 60)
    again.kill()  # the start command itself dies: web and workers go with it, the database is found again
    again.wait()
    third = start(root, port)
    answers(port, 30)  # the port too: what is left of the killed one lets go of it
    third.terminate()
    third.communicate(timeout=60)


def test_a_taken_port(root: Path) -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        running = start(root, taken.getsockname()[1])
        output, _ = running.communicate(timeout=60)
    assert running.returncode == 1 and f"is taken by process {os.getpid()} (" in output and len(output.strip().splitlines()) == 1


def test_one_library_is_opened_once(root: Path) -> None:
    """Two would stop each other's database. One that comes while the other is stopping waits for it."""
    ports = free_port(), free_port()
    first = start(root, ports[0])
    answers(ports[0], 60)
    second = start(root, ports[1])
    output, _ = second.communicate(timeout=60)
    assert second.returncode == 1 and len(output.strip().splitlines()) == 1, output
    assert f"is open already at http://127.0.0.1:{ports[0]}/ (process {first.pid})" in output
    answers(ports[0], 5)
    third = start(root, ports[1])
    first.terminate()
    first.communicate(timeout=60)
    answers(ports[1], 60)
    third.terminate()
    output, _ = third.communicate(timeout=60)
    assert third.returncode == 0 and output.rstrip().endswith("stopped"), output
    assert not (root / "launcher.json").exists()


def test_a_library_is_emptied_by_who_holds_it(tmp_path: Path) -> None:
    home = Home(tmp_path / "library")
    held = OpenLibrary(home, 1)
    (home.root / "card").mkdir()
    (home.root / "card" / "TW-0001.dng").write_bytes(b"old")
    (home.root / "labels.json").write_text("{}")
    outside = tmp_path / "outside"
    outside.mkdir()
    (home.root / "linked").symlink_to(outside)
    held.empty()
    assert [p.name for p in home.root.iterdir()] == ["launcher.json"] and outside.is_dir()
    held.let_go()
    assert not list(home.root.iterdir())
    OpenLibrary(home, 2).let_go()
