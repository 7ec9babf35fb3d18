"""One launcher at a time for a library: two would stop each other's database and empty each other's folders."""

import contextlib
import fcntl
import json
import os
import shutil
import time
from pathlib import Path

from zincplate.store.home import Home

_STOPPING_S = 75.0
"""A launcher that stops lets go within this time: its children have 15 s each, its database 60."""
_SETTLE_S = 2.0
"""One that was just told to stop may not have noticed yet."""


class TakenError(Exception):
    """Another launcher holds the library; a sentence says which."""


class OpenLibrary:
    """A library's folder, held until :meth:`let_go` or until this process is gone, however that comes about."""

    def __init__(self, home: Home, port: int) -> None:
        """Waits for a launcher that is stopping; raises :class:`TakenError` where one is running, ``OSError`` where the folder
        cannot be made."""
        home.make()
        self._note = home.root / "launcher.json"
        self._port = port
        self._handle = os.open(home.root, os.O_RDONLY | os.O_DIRECTORY)
        begin = time.monotonic()
        while not self._locked():
            waited, holder = time.monotonic() - begin, _read(self._note)
            if waited > (_STOPPING_S if holder.get("stopping") else _SETTLE_S):
                os.close(self._handle)
                where = f" at http://127.0.0.1:{holder['port']}/ (process {holder['process']})" if holder else ""
                raise TakenError(
                    f"the library {home.root} is open already{where}; stop it there first, or name another one in ZINCPLATE_HOME"
                )
            time.sleep(0.05)
        self._write(stopping=False)

    def _locked(self) -> bool:
        try:
            fcntl.flock(self._handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            return False
        return True

    def _write(self, stopping: bool) -> None:
        note = json.dumps({"process": os.getpid(), "port": self._port, "stopping": stopping})
        with contextlib.suppress(OSError):  # a full disk: it only says who holds the library
            self._note.write_text(note, encoding="utf-8")

    def empty(self) -> None:
        """Takes everything away that is in it."""
        for inside in self._note.parent.iterdir():
            if inside.is_dir() and not inside.is_symlink():
                shutil.rmtree(inside)
            elif inside != self._note:
                inside.unlink()

    def stopping(self) -> None:
        """Whoever wants the library next waits from here on."""
        self._write(stopping=True)

    def let_go(self) -> None:
        """Ends it."""
        with contextlib.suppress(OSError):
            self._note.unlink()
        os.close(self._handle)


def _read(note: Path) -> dict[str, object]:
    try:
        found = json.loads(note.read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return {}
    return found if isinstance(found, dict) and {"process", "port"} <= found.keys() else {}
