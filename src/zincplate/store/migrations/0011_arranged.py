"""Frames may be named anew, stand in folders of their shoot, and be put into an order by hand."""

from typing import Any

STATEMENTS = """
ALTER TABLE frame
  ADD COLUMN IF NOT EXISTS file_name VARCHAR(200) NOT NULL DEFAULT '', ADD COLUMN IF NOT EXISTS folder VARCHAR(400) NOT NULL
  DEFAULT '', ADD COLUMN IF NOT EXISTS hand_place DOUBLE NULL;
UPDATE frame SET file_name = name WHERE file_name = ''
"""

atomic = False


def up(migrator: Any, database: Any) -> None:
    """Three columns; the name of the file is the name that the frame has had so far."""
    for statement in STATEMENTS.split(";"):
        if statement.strip():
            database.execute_sql(statement)
