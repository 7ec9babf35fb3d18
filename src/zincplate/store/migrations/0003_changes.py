"""Changes know themselves again: ids of what was applied, gestures that are one step, a hash of the recipe for its small picture."""

from typing import Any

STATEMENTS = """
ALTER TABLE version ADD COLUMN IF NOT EXISTS recipe_hash CHAR(16) NOT NULL DEFAULT '';
UPDATE version SET recipe_hash = LEFT(SHA2(recipe, 256), 16);
ALTER TABLE history_entry ADD COLUMN IF NOT EXISTS gesture VARCHAR(40) NOT NULL DEFAULT '';
CREATE TABLE IF NOT EXISTS applied_change (
  id INT AUTO_INCREMENT PRIMARY KEY, version_id INT NOT NULL, change_id VARCHAR(40) NOT NULL, created_at DATETIME(6) NOT NULL,
  UNIQUE KEY applied_once (version_id, change_id), KEY applied_at (version_id, created_at),
  FOREIGN KEY (version_id) REFERENCES version (id) ON DELETE CASCADE)
"""

atomic = False


def up(migrator: Any, database: Any) -> None:
    """Two columns and a table; what was done before an interruption is not done twice."""
    for statement in STATEMENTS.split(";"):
        if statement.strip():
            database.execute_sql(statement)
