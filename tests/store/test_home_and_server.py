"""The private database server, and migrations."""

import json
import os
import stat
from pathlib import Path

from zincplate.store import database as store
from zincplate.store.home import Home
from zincplate.store.mariadb import Maria
from zincplate.store.models import TABLES, Frame, Shoot, ShownVersion, Version


def test_the_server_is_private(home: Home) -> None:
    maria = Maria(home.root)
    state = maria.load()
    assert maria.secret.stat().st_mode & 0o077 == 0 and len(maria.password()) > 30
    assert "bind-address=127.0.0.1" in maria.cnf.read_text() and maria.cnf.stat().st_mode & 0o077 == 0
    assert not list(maria.base.glob("init.sql")) and json.loads(maria.state.read_text()) == state
    with maria.connect() as connection, connection.cursor() as cursor:
        cursor.execute("SELECT @@bind_address, @@sql_mode, @@local_infile")
        bind, mode, infile = cursor.fetchone()
    assert bind == "127.0.0.1" and "STRICT_ALL_TABLES" in mode and infile == 0


def test_starting_twice_finds_the_running_server(home: Home) -> None:
    before = Maria(home.root).running_pid()
    assert Maria(home.root).start().running_pid() == before is not None


def test_a_foreign_process_under_our_pid_is_never_ours(tmp_path: Path) -> None:
    maria = Maria(tmp_path)
    maria.base.mkdir(parents=True)
    maria.pidfile.write_text("1")
    assert maria.running_pid() is None
    maria.pidfile.write_text("no number")
    assert maria.running_pid() is None


def test_migrations_match_the_models_and_run_once(home: Home) -> None:
    assert store.migrate() == []
    with store.database.connection_context():
        for table in TABLES:
            columns = {c.name for c in store.database.get_columns(table._meta.table_name)}
            # what the store works out itself stands in a model that is only read
            shown = ShownVersion._meta.sorted_fields if table is Version else ()
            assert columns == {f.column_name for f in (*table._meta.sorted_fields, *shown)}, table


def test_a_new_library_is_its_owners_alone(tmp_path: Path) -> None:
    made = Home(tmp_path / "library").make()
    # started by root, the database's own user passes through the root folder
    assert stat.S_IMODE(made.root.stat().st_mode) == (0o711 if os.geteuid() == 0 else 0o700)
    for folder in (made.originals, made.deliveries, made.recipes, made.cache, made.lenses):
        assert stat.S_IMODE(folder.stat().st_mode) == 0o700
    made.deliveries.chmod(0o755)  # opened on purpose
    assert stat.S_IMODE(made.make().deliveries.stat().st_mode) == 0o755


def test_deleting_a_shoot_takes_its_frames(home: Home) -> None:
    with store.database.connection_context():
        shoot = Shoot.create(name="Gone", folder="gone")
        Frame.create(shoot=shoot, name="a", content_hash="0" * 64, size_bytes=1, path="a", capture={"iso": 100.5})
        assert Frame.get(Frame.shoot == shoot).capture == {"iso": 100.5}
        shoot.delete_instance()
        assert not Frame.select().where(Frame.path == "a").exists()
