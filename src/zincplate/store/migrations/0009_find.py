"""Finding across shoots: indexes on what is filtered by and sorted by."""

from typing import Any

STATEMENTS = """
ALTER TABLE frame ADD INDEX IF NOT EXISTS frame_when (captured_at, id);
ALTER TABLE frame ADD INDEX IF NOT EXISTS frame_camera (camera);
ALTER TABLE frame ADD INDEX IF NOT EXISTS frame_lens (lens);
ALTER TABLE frame ADD INDEX IF NOT EXISTS frame_label (label);
ALTER TABLE frame ADD INDEX IF NOT EXISTS frame_mark (mark, stars)
"""

atomic = False


def up(migrator: Any, database: Any) -> None:
    """Indexes only; those that are there already stay."""
    for statement in STATEMENTS.split(";"):
        if statement.strip():
            database.execute_sql(statement)
