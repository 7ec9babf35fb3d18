"""The database handle. Bound to a server once per process by :func:`connect`; nothing happens at import."""

import errno
import os
import re
import threading
from typing import Any

import peewee
from playhouse.migrations import Runner
from playhouse.pool import MaxConnectionsExceeded, PooledMySQLDatabase

from zincplate.store.home import Home
from zincplate.store.mariadb import Maria

database = PooledMySQLDatabase(None, mariadb=True)
os.register_at_fork(after_in_child=database.dispose)  # a fork must never share a socket


class StoreUnavailable(RuntimeError):
    """The database does not answer."""


UNAVAILABLE = (peewee.OperationalError, peewee.InterfaceError)
NO_ROOM = "The disk is full: nothing more can be saved until there is room. What was saved is kept."
_TABLE_FULL, _DISK_FULL, _ENGINE = 1114, 1021, 1030
"""MariaDB's ER_RECORD_FILE_FULL, ER_DISK_FULL and ER_GET_ERRNO, which names the system's own error."""
BUSY = (MaxConnectionsExceeded,)
"""All connections are in use and none came back in time."""


def without_room(error: BaseException) -> bool:
    """Whether the database refused because its disk is full."""
    code, words = (*error.args, 0, "")[:2]
    return code in (_TABLE_FULL, _DISK_FULL) or (code == _ENGINE and re.search(rf"\b{errno.ENOSPC}\b", str(words)) is not None)


def settings(maria: Maria, schema: str | None = None) -> dict[str, object]:
    """Arguments of a connection as the application user."""
    return {
        "database": schema or maria.database,
        "unix_socket": maria.load()["socket"],
        "user": maria.user,
        "password": maria.password(),
        "charset": "utf8mb4",
        "collation": "utf8mb4_unicode_520_ci",
    }


def connect(home: Home, pool: int = 24) -> PooledMySQLDatabase:
    """Binds :data:`database` to the home's server."""
    options = settings(Maria(home.root))
    name = options.pop("database")
    database.init(name, max_connections=pool, stale_timeout=300, timeout=10, **options)
    return database


def write_many(statement: str, rows: list[tuple[Any, ...]]) -> None:
    """One ``INSERT ... VALUES (%s, ...)`` for many rows at once, without a statement built for each: for thousands of rows. To be
    called within a transaction."""
    if rows:
        database.cursor().executemany(statement, rows)


_request = threading.local()


def begin_request(at_once: bool = True) -> None:
    """A connection for this thread until :func:`end_request`, now or with the first query."""
    _request.open = True
    if at_once:
        database.connect(reuse_if_open=True)


def let_go() -> None:
    """Gives a request's connection back before slow work, so that those who wait for pictures hold none; the next query takes one
    again. Does nothing elsewhere: jobs hold theirs."""
    if getattr(_request, "open", False) and not database.is_closed() and not database.in_transaction():
        database.close()


def end_request() -> None:
    """Gives the connection back, if there is one."""
    _request.open = False
    if not database.is_closed():
        database.close()


def migrate() -> list[str]:
    """Applies what is missing, one process at a time; returns the names applied."""
    from pathlib import Path

    with database.connection_context():
        (got,) = database.execute_sql("SELECT GET_LOCK('zincplate-migrate', 60)").fetchone()
        if got != 1:
            raise StoreUnavailable("Another process has been migrating the database for a minute.")
        try:
            return list(Runner(database, directory=str(Path(__file__).with_name("migrations"))).up())
        finally:
            database.execute_sql("DO RELEASE_LOCK('zincplate-migrate')")
