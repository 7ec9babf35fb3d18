"""A private MariaDB server on loopback: created, started, stopped, found again. No system service, no system user.

The server gets its own data folder, socket, port and random password (a 0600 file). It survives ``kill -9``: InnoDB recovers
at the next start. Safe to start from two processes at once (file lock).
"""

import contextlib
import fcntl
import getpass
import hashlib
import json
import os
import pwd
import secrets
import shutil
import signal
import socket
import subprocess
import tempfile
import time
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import pymysql

SBIN = "/usr/sbin:/usr/local/sbin:/sbin"


class MariaError(RuntimeError):
    """The server cannot be set up, started or stopped; the message says why."""


def _tool(*names: str) -> str:
    path = os.environ.get("PATH", "") + ":" + SBIN
    for name in names:
        found = shutil.which(name, path=path)
        if found:
            return found
    raise MariaError(f"{names[0]} not found: apt-get install mariadb-server-core mariadb-client-core")


def _reachable(path: Path, user: str) -> bool:
    """Can `user` walk down to path? (a folder below a 0700 home cannot be reached)"""
    probe = subprocess.run(
        [_tool("setpriv"), "--reuid", user, "--regid", str(pwd.getpwnam(user).pw_gid), "--clear-groups", "test", "-x", str(path)],
        capture_output=True,
    )
    return probe.returncode == 0


@dataclass
class Maria:
    """The server that keeps its files under ``var``."""

    var: Path
    database: str = "zincplate"
    user: str = "zincplate"
    port: int | None = None  # None: a free one, chosen once and kept
    buffer_pool: str = "128M"
    durable: bool = True  # False only for tests
    process: "subprocess.Popen[bytes] | None" = field(default=None, init=False)

    def __post_init__(self) -> None:
        self.var = Path(self.var).resolve()
        self.base = self.var / "mariadb"
        self.data = self.base / "data"
        self.cnf = self.base / "my.cnf"
        self.log = self.base / "error.log"
        self.pidfile = self.base / "mariadbd.pid"
        self.state = self.var / "mariadb.json"
        self.secret = self.var / "mariadb.secret"
        self.lock = self.var / "mariadb.lock"

    # ---- state ---------------------------------------------------------
    def _os_user(self) -> str:
        if os.geteuid() != 0:
            return getpass.getuser()
        for name in ("mysql", "nobody"):  # mysql exists only with the full server package
            with contextlib.suppress(KeyError):
                pwd.getpwnam(name)
                if _reachable(self.base, name):
                    return name
        return "root"

    def _free_port(self) -> int:
        with socket.socket() as s:
            s.bind(("127.0.0.1", 0))
            return int(s.getsockname()[1])

    def _sock(self) -> Path:
        path = self.base / "db.sock"
        if len(os.fsencode(path)) <= 100:  # sun_path is 108 bytes
            return path
        short = (
            Path(tempfile.gettempdir()) / f"zincplate-{os.getuid()}-{hashlib.sha256(str(self.base).encode()).hexdigest()[:10]}"
        )
        short.mkdir(mode=0o700, exist_ok=True)
        return short / "db.sock"

    def load(self) -> dict[str, Any]:
        """State written at set-up: operating-system user, port, socket; empty before."""
        return json.loads(self.state.read_text()) if self.state.exists() else {}

    def password(self) -> str:
        """Password of the application user."""
        return self.secret.read_text().strip()

    def running_pid(self) -> int | None:
        """pid of OUR server, checked against /proc so a reused pid is never signalled."""
        try:
            pid = int(self.pidfile.read_text())
            cmd = Path(f"/proc/{pid}/cmdline").read_bytes().split(b"\0")
        except (FileNotFoundError, ValueError, ProcessLookupError):
            return None
        return pid if f"--defaults-file={self.cnf}".encode() in cmd else None

    # ---- set-up --------------------------------------------------------
    def _write_private(self, path: Path, text: str, owner: str | None = None) -> None:
        tmp = path.with_suffix(path.suffix + ".new")
        fd = os.open(tmp, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
        with os.fdopen(fd, "w") as f:
            f.write(text)
            f.flush()
            os.fsync(f.fileno())
        if owner and os.geteuid() == 0:
            shutil.chown(tmp, owner)
        os.replace(tmp, path)

    def _prepare(self) -> dict[str, Any]:
        self.var.mkdir(parents=True, exist_ok=True)
        self.base.mkdir(mode=0o700, exist_ok=True)
        st = self.load()
        if not st:
            if os.geteuid() == 0:
                self.base.chmod(0o711)  # only while probing who can reach it
            st = {"os_user": self._os_user(), "port": self.port or self._free_port(), "socket": str(self._sock())}
            if os.geteuid() == 0:
                shutil.chown(self.base, st["os_user"])
                shutil.chown(Path(st["socket"]).parent, st["os_user"])
            self.base.chmod(0o700)
        if not self.secret.exists():
            self._write_private(self.secret, secrets.token_urlsafe(32) + "\n")
        flush = 1 if self.durable else 2
        self._write_private(
            self.cnf,
            f"""# written at each start: do not edit
[mariadbd]
datadir={self.data}
socket={st["socket"]}
pid-file={self.pidfile}
log-error={self.log}
bind-address=127.0.0.1
port={st["port"]}
user={st["os_user"]}
tmpdir={self.base}
skip-name-resolve
skip-log-bin
local-infile=0
symbolic-links=0
secure-file-priv={self.base}
character-set-server=utf8mb4
collation-server=utf8mb4_unicode_520_ci
sql-mode=STRICT_TRANS_TABLES,STRICT_ALL_TABLES,NO_ZERO_DATE,NO_ZERO_IN_DATE,ERROR_FOR_DIVISION_BY_ZERO,NO_ENGINE_SUBSTITUTION
transaction-isolation=READ-COMMITTED
default-storage-engine=InnoDB
innodb-buffer-pool-size={self.buffer_pool}
innodb-log-file-size=48M
innodb-flush-log-at-trx-commit={flush}
innodb-doublewrite={"ON" if self.durable else "OFF"}
innodb-lock-wait-timeout=20
innodb-file-per-table=1
max-allowed-packet=128M
max-connections=60
wait-timeout=3600
default-time-zone=+00:00
performance-schema=OFF
aria-pagecache-buffer-size=8M
key-buffer-size=1M
table-open-cache=256
""",
            st["os_user"],
        )
        if not (self.data / "mysql").is_dir():
            shutil.rmtree(self.data, ignore_errors=True)
            part = self.base / "data.part"
            shutil.rmtree(part, ignore_errors=True)
            r = subprocess.run(
                [
                    _tool("mariadb-install-db"),
                    "--no-defaults",
                    f"--datadir={part}",
                    f"--user={st['os_user']}",
                    "--skip-test-db",
                    "--skip-name-resolve",
                    f"--tmpdir={self.base}",
                    "--auth-root-authentication-method=socket",
                    f"--auth-root-socket-user={getpass.getuser()}",
                    "--innodb-log-file-size=48M",
                ],
                capture_output=True,
                text=True,
            )
            if r.returncode:
                raise MariaError(f"mariadb-install-db failed:\n{r.stdout[-2000:]}{r.stderr[-2000:]}")
            os.replace(part, self.data)  # all or nothing
        self._write_private(self.state, json.dumps(st))
        return st

    # ---- run -----------------------------------------------------------
    def connect(self, **kw: Any) -> "pymysql.Connection[pymysql.cursors.Cursor]":
        """A plain connection as the application user."""
        st = self.load()
        return pymysql.connect(
            unix_socket=st["socket"],
            user=self.user,
            password=self.password(),
            database=kw.pop("database", self.database),
            charset="utf8mb4",
            **kw,
        )

    def answers(self) -> bool:
        """Whether the server takes connections."""
        try:
            with self.connect(connect_timeout=2) as c, c.cursor() as cur:
                cur.execute("SELECT 1")
            return True
        except (pymysql.err.MySQLError, OSError):
            return False

    def start(self, timeout: float = 90) -> "Maria":
        """Sets up what is missing and starts the server; returns when it answers. Idempotent."""
        self.var.mkdir(parents=True, exist_ok=True)
        with open(self.lock, "w") as lk:
            fcntl.flock(lk, fcntl.LOCK_EX)  # two starts at once: the second waits, then finds it running
            if self.running_pid() and self.answers():
                return self
            st = self._prepare()
            password, u, d = self.password(), self.user, self.database
            init = self.base / "init.sql"
            # runs before the first connection is taken; idempotent; also rotates the password
            self._write_private(
                init,
                "\n".join(
                    [
                        f"CREATE DATABASE IF NOT EXISTS `{d}`;",
                        f"CREATE DATABASE IF NOT EXISTS `{d}_queue`;",
                        *(
                            f"CREATE USER IF NOT EXISTS '{u}'@'{h}' IDENTIFIED BY '{password}';\n"
                            f"ALTER USER '{u}'@'{h}' IDENTIFIED BY '{password}';\n"
                            f"GRANT ALL ON `{d}`.* TO '{u}'@'{h}';\n"
                            f"GRANT ALL ON `{d}\\_%`.* TO '{u}'@'{h}';"
                            for h in ("localhost", "127.0.0.1")
                        ),
                        "DELETE FROM mysql.global_priv WHERE User='';",
                        "FLUSH PRIVILEGES;",
                        "",
                    ]
                ),
                st["os_user"],
            )
            proc = subprocess.Popen(
                [_tool("mariadbd"), f"--defaults-file={self.cnf}", f"--init-file={init}"],
                stdin=subprocess.DEVNULL,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
                start_new_session=True,
                cwd="/",
            )
            end = time.monotonic() + timeout
            while time.monotonic() < end:
                if proc.poll() is not None:
                    tail = self.log.read_text(errors="replace")[-1500:] if self.log.exists() else ""
                    raise MariaError(f"mariadbd ended with {proc.returncode}:\n{tail}")
                if self.running_pid() and self.answers():
                    init.unlink(missing_ok=True)  # it holds the password
                    self.process = proc
                    return self
                time.sleep(0.05)
            proc.kill()
            raise MariaError("MariaDB was not ready in time; its log is " + str(self.log))

    def stop(self, timeout: float = 60) -> None:
        """Stops the server and waits for it."""
        pid = self.running_pid()
        if pid is None:
            return
        os.kill(pid, signal.SIGTERM)
        end = time.monotonic() + timeout
        while time.monotonic() < end:
            if self.process is not None and self.process.poll() is not None:
                return
            try:  # the pid file goes before the process does: wait for the process
                if f"--defaults-file={self.cnf}".encode() not in Path(f"/proc/{pid}/cmdline").read_bytes():
                    return
            except (FileNotFoundError, ProcessLookupError):
                return
            time.sleep(0.02)
        raise MariaError(f"MariaDB (pid {pid}) did not stop")
