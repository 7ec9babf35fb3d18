"""Whether a frame's file holds a depth map; what was brought in before holds none that would be read."""

from typing import Any

STATEMENT = "ALTER TABLE frame ADD COLUMN IF NOT EXISTS depth_map BOOL NOT NULL DEFAULT 0"

atomic = False


def up(migrator: Any, database: Any) -> None:
    """One column."""
    database.execute_sql(STATEMENT)
