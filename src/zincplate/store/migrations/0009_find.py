"""Finding across shoots: what changed since the last search is read by its time."""

from typing import Any

STATEMENTS = """
ALTER TABLE frame ADD INDEX IF NOT EXISTS frame_changed_at (changed_at);
ALTER TABLE version ADD INDEX IF NOT EXISTS version_adjusted (adjusted, frame_id)
"""

atomic = False


def up(migrator: Any, database: Any) -> None:
    """Indexes only; those that are there already stay."""
    for statement in STATEMENTS.split(";"):
        if statement.strip():
            database.execute_sql(statement)
