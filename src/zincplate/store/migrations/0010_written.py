"""What was written about a frame here, or beside its file: it counts before the file's own words."""

from typing import Any

STATEMENT = "ALTER TABLE frame ADD COLUMN IF NOT EXISTS written JSON NULL"

atomic = False


def up(migrator: Any, database: Any) -> None:
    """One column."""
    database.execute_sql(STATEMENT)
