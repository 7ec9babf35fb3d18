"""Frames that were made of others: what they were made from, and how."""

from typing import Any

STATEMENT = """
ALTER TABLE frame
  ADD COLUMN IF NOT EXISTS made VARCHAR(12) NOT NULL DEFAULT '', ADD COLUMN IF NOT EXISTS made_from JSON NULL
"""

atomic = False


def up(migrator: Any, database: Any) -> None:
    """Two columns."""
    database.execute_sql(STATEMENT)
