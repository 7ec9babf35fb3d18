"""The first page counts frames without reading their rows, each of which holds its file's facts."""

from typing import Any

STATEMENT = """
ALTER TABLE frame
  ADD INDEX IF NOT EXISTS frame_counted (shoot_id, removed_at, mark, captured_at, cover_id, size_bytes)
"""

atomic = False


def up(migrator: Any, database: Any) -> None:
    """One index, which has all that is counted."""
    database.execute_sql(STATEMENT)
