"""Versions know which revision their readable copy on disk holds: one that was not written is written later."""

from typing import Any

STATEMENTS = """
ALTER TABLE version ADD COLUMN IF NOT EXISTS readable_revision INT NOT NULL DEFAULT -1;
UPDATE version SET readable_revision = revision WHERE readable_revision = -1
"""

atomic = False


def up(migrator: Any, database: Any) -> None:
    """One column; copies that are there count as written (``verify`` tells when one is not)."""
    for statement in STATEMENTS.split(";"):
        if statement.strip():
            database.execute_sql(statement)
