"""What a version holds that lists of frames tell: worked out by the store itself, whoever writes a recipe."""

from typing import Any

STATEMENT = """
ALTER TABLE version
  ADD COLUMN IF NOT EXISTS passes TINYINT AS (
    COALESCE(JSON_LENGTH(recipe, '$.passes.passes'), 0) > 0 AND NOT COALESCE(JSON_CONTAINS(recipe, '"passes"', '$.off'), 0)
  ) PERSISTENT,
  ADD COLUMN IF NOT EXISTS repairs TINYINT AS (
    COALESCE(JSON_LENGTH(recipe, '$.repair.repairs'), 0) > 0 AND NOT COALESCE(JSON_CONTAINS(recipe, '"repair"', '$.off'), 0)
  ) PERSISTENT
"""

atomic = False


def up(migrator: Any, database: Any) -> None:
    """Two columns that follow the recipe."""
    database.execute_sql(STATEMENT)
