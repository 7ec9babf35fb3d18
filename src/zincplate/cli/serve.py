"""Starts everything and keeps it running: database, migrations, demo card, workers, web server; stops it in order."""

import contextlib
import os
import signal
import socket
import subprocess
import sys
import threading
import time
import urllib.request
from collections.abc import Callable
from pathlib import Path
from types import FrameType
from typing import TYPE_CHECKING

from zincplate.cli import demo_data
from zincplate.cli.children import die_with_parent
from zincplate.cli.open_library import OpenLibrary, TakenError
from zincplate.formats.files import sweep_parts
from zincplate.formats.isolated import sweep
from zincplate.store import database as store
from zincplate.store.home import Home
from zincplate.store.mariadb import Maria, MariaError

if TYPE_CHECKING:
    from zincplate.services.context import Context

_READY_S = 60.0
_CATCH_UP_S = 10.0
"""Readable copies that could not be written are tried again this often."""
_LET_GO_S = 10.0
"""Children of a killed launcher end by themselves within this time."""


def _holder(port: int) -> tuple[int, str] | None:
    """Process that listens on a port of 127.0.0.1, and its command; None when that cannot be seen (it belongs to somebody
    else)."""
    wanted = f"0100007F:{port:04X}"
    try:
        lines = Path("/proc/net/tcp").read_text(encoding="ascii").splitlines()[1:]
    except OSError:
        return None
    fields = [line.split() for line in lines]
    places = (wanted, f"00000000:{port:04X}")
    inodes = {f"socket:[{f[9]}]" for f in fields if f[1] in places and f[3] == "0A"}
    for process in Path("/proc").glob("[0-9]*"):
        try:
            if any(str(handle.readlink()) in inodes for handle in (process / "fd").iterdir()):
                command = (process / "cmdline").read_bytes().replace(b"\0", b" ").decode("utf-8", "replace").strip()
                return int(process.name), command
        except OSError:
            continue
    return None


def _is_orphan(pid: int) -> bool:
    """Whether no launcher stands above a web process any more."""
    for _ in range(8):
        try:
            pid = int(Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[1])
            command = Path(f"/proc/{pid}/cmdline").read_bytes()
        except (OSError, ValueError, IndexError):
            return True
        if b"zincplate.cli.main" in command:
            return False
        if b"zincplate" not in command:
            return True
    return False


def _claimed(port: int) -> str:
    """Empty when the port is free, waiting for the children of a killed launcher to end; else a sentence that says who holds
    it."""
    begin = time.monotonic()
    while not _port_is_free(port):
        found = _holder(port)
        waited = time.monotonic() - begin
        left = found is not None and "zincplate.cli.wsgi" in found[1] and _is_orphan(found[0])
        if left and found is not None and waited > _LET_GO_S / 2:
            with contextlib.suppress(ProcessLookupError, PermissionError):
                os.kill(found[0], signal.SIGKILL)  # it would end by itself, but not soon enough on a busy machine
        # between two looks the port may have changed hands: nobody to be seen is asked for once more
        if (found is not None and not left) or waited > _LET_GO_S:
            who = f"process {found[0]} ({found[1][:120]})" if found is not None else "another program"
            return f"port {port} is taken by {who}; choose another with --port"
        time.sleep(0.1)
    return ""


def _port_is_free(port: int) -> bool:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            return False
    return True


class Supervisor:
    """The child processes by name; one that ends is started again."""

    def __init__(self, home: Home, port: int) -> None:
        self._home = home
        self._environment = {**os.environ, "ZINCPLATE_HOME": str(home.root)}
        python = [sys.executable, "-W", "ignore", "-m"]
        self._commands = {
            "workers": [*python, "zincplate.jobs.worker", "2"],
            "web": [
                *python, "gunicorn", "--worker-class", "zincplate.cli.web_worker.BoundedWorker",
                "--workers", "1", "--threads", "64", "--bind", f"127.0.0.1:{port}",
                "--worker-tmp-dir", "/dev/shm", "--graceful-timeout", "3",  # noqa: S108
                "--log-level", "warning", "--timeout", "120", "zincplate.cli.wsgi:app",
            ],
        }  # fmt: skip
        self._children: dict[str, subprocess.Popen[bytes]] = {}
        self._started_at: dict[str, float] = {}

    def start(self, name: str) -> None:
        """Starts one child."""
        self._started_at[name] = time.monotonic()
        self._children[name] = subprocess.Popen(
            self._commands[name], env=self._environment, start_new_session=True, preexec_fn=die_with_parent
        )

    def mend(self) -> None:
        """Starts again what has ended; waits a moment when it ends at once."""
        for name in self._commands:
            child = self._children.get(name)
            if child is not None and child.poll() is not None and time.monotonic() - self._started_at[name] > 1.0:
                print(f"zincplate: {name} ended unexpectedly and is started again", file=sys.stderr, flush=True)
                self.start(name)

    def stop(self) -> None:
        """Ends the children, the web server first."""
        for name in ("web", "workers"):
            child = self._children.get(name)
            if child is not None and child.poll() is None:
                child.terminate()
        for child in self._children.values():
            try:
                child.wait(15)
            except subprocess.TimeoutExpired:
                child.kill()
                child.wait()


def serve(*, demo: bool, port: int, fresh: bool = False) -> int:
    """Runs until Ctrl-C or SIGTERM; returns the exit code."""
    if not 1 <= port <= 65535:
        print("zincplate: a port is a number from 1 to 65535", file=sys.stderr)
        return 2
    if taken := _claimed(port):
        print(f"zincplate: {taken}", file=sys.stderr)
        return 1
    from zincplate.services.context import UserError, memory_setting

    try:
        memory_setting()
    except UserError as error:
        print(f"zincplate: {error}", file=sys.stderr)
        return 2
    default = "var/demo" if demo else "var/library"
    home = Home(Path(os.environ.get("ZINCPLATE_HOME", default)).resolve())
    try:
        library = OpenLibrary(home, port)
    except (TakenError, OSError) as error:
        print(f"zincplate: {error}", file=sys.stderr)
        return 1
    try:
        return _serve(home, library, demo=demo, port=port, fresh=fresh)
    finally:
        library.let_go()


def _serve(home: Home, library: OpenLibrary, *, demo: bool, port: int, fresh: bool) -> int:
    maria = Maria(home.root)
    stopping: list[int] = []

    def stop(number: int, _frame: FrameType | None) -> None:
        stopping.append(number)

    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, stop)
    try:
        if fresh:
            maria.stop()
            library.empty()
        home.make()
        sweep()
        sweep_parts(*home.written)
        camera = demo_data.take(home) if demo else None
        _open(home, maria)
    except (MariaError, OSError, *store.UNAVAILABLE) as error:
        print(f"zincplate: {error}", file=sys.stderr)
        return 1
    # The page first: on two cores, loading the engine three times at once would make it wait.
    supervisor = Supervisor(home, port)
    supervisor.start("web")
    address = f"http://127.0.0.1:{port}/"
    if not _wait_for(address, stopping, lambda: _mend(supervisor, maria)):
        print("zincplate: the web server did not answer", file=sys.stderr)
        library.stopping()
        supervisor.stop()
        maria.stop()
        return 1
    print(f"\nzincplate is ready: {address}\nCtrl-C stops it.", flush=True)
    supervisor.start("workers")
    from zincplate.jobs.waking import waker
    from zincplate.services.context import Context

    context = Context(home, wake=waker(home), share=0.0)
    if camera is not None:
        threading.Thread(target=demo_data.fill, args=(context, camera), daemon=True).start()
    _watch(supervisor, maria, context, stopping)
    library.stopping()
    if camera is not None:
        camera.terminate()
    supervisor.stop()
    if not store.database.is_closed():
        store.database.close()
    maria.stop()
    print("zincplate: stopped", flush=True)
    return 0


def _open(home: Home, maria: Maria) -> None:
    """Starts the database and brings its tables up to date; once more where it was another launcher's that was just stopping."""
    from zincplate.jobs.queue import create_tables

    for last in (False, False, True):
        maria.start()
        try:
            store.connect(home, pool=4)
            store.migrate()
            create_tables(home)
        except store.UNAVAILABLE:
            if last or (maria.running_pid() is not None and maria.answers()):
                raise
        else:
            return


def _mend(supervisor: Supervisor, maria: Maria) -> None:
    """Starts again what has ended; the database too, which may have been that of another launcher that was just stopping."""
    supervisor.mend()
    if maria.running_pid() is not None:
        return
    print("zincplate: the database ended unexpectedly and is started again", file=sys.stderr, flush=True)
    try:
        maria.start()
    except MariaError as error:
        print(f"zincplate: {error}", file=sys.stderr, flush=True)
        time.sleep(2)


def _wait_for(address: str, stopping: list[int], mend: Callable[[], None]) -> bool:
    end = time.monotonic() + _READY_S
    while time.monotonic() < end and not stopping:
        mend()
        try:
            with urllib.request.urlopen(address, timeout=2):  # noqa: S310  (our own loopback address)
                return True
        except OSError:
            time.sleep(0.05)
    return bool(stopping)


def _watch(supervisor: Supervisor, maria: Maria, context: "Context", stopping: list[int]) -> None:
    from zincplate.services import work
    from zincplate.services.versions import catch_up
    from zincplate.services.watching import Watcher

    last_reap, last_written = 0.0, 0.0
    watcher = Watcher()
    while not stopping:
        time.sleep(0.2)
        if not stopping:
            _mend(supervisor, maria)
        if time.monotonic() - last_reap > 3:
            last_reap = time.monotonic()
            try:
                with store.database.connection_context():
                    work.reap(context)
                    watcher.look(context)
                    if time.monotonic() - last_written > _CATCH_UP_S:
                        last_written = time.monotonic()
                        catch_up(context.home)
                        sweep_parts(*context.home.written)
            except store.UNAVAILABLE:
                continue  # it is being started again
