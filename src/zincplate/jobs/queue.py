"""The queue itself: huey's SQL storage in a schema of its own, with the fit for MariaDB it needs."""

from typing import Any

import peewee
from huey.api import Huey
from huey.contrib.sql_huey import SqlStorage
from huey.serializer import SignedSerializer
from playhouse.pool import PooledMySQLDatabase

from zincplate.store.database import settings
from zincplate.store.home import Home
from zincplate.store.mariadb import Maria


class MariaStorage(SqlStorage):
    """Payloads as LONGBLOB: MariaDB's BLOB holds 64 kB."""

    def create_models(self) -> Any:
        """huey's models with wide payload columns."""
        models = super().create_models()
        for model in models:
            for field in model._meta.sorted_fields:
                if isinstance(field, peewee.BlobField):
                    field.field_type = "LONGBLOB"
        return models


def make_queue(home: Home) -> Huey:
    """Queue of a home; its tables are made by :func:`create_tables`."""
    maria = Maria(home.root)
    options = settings(maria, schema=f"{maria.database}_queue")
    name = options.pop("database")
    database = PooledMySQLDatabase(name, mariadb=True, max_connections=8, stale_timeout=300, timeout=10, **options)
    return Huey(
        "zincplate",
        storage_class=MariaStorage,
        database=database,
        create_tables=False,
        utc=True,
        results=False,
        store_intermediate_errors=False,
        serializer=SignedSerializer(secret=maria.password()),
    )


def create_tables(home: Home) -> None:
    """huey's own tables; called once, by the migrate step."""
    make_queue(home).storage.create_tables()
