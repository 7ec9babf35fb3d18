"""Named states of a version, to return to whatever was done since."""

from typing import Any

STATEMENT = """
CREATE TABLE IF NOT EXISTS named_state (
  id INT AUTO_INCREMENT PRIMARY KEY, version_id INT NOT NULL, name VARCHAR(60) NOT NULL, recipe JSON NOT NULL,
  created_at DATETIME(6) NOT NULL, UNIQUE KEY named_state_name (version_id, name),
  FOREIGN KEY (version_id) REFERENCES version (id) ON DELETE CASCADE)
"""

atomic = False


def up(migrator: Any, database: Any) -> None:
    """One table."""
    database.execute_sql(STATEMENT)
