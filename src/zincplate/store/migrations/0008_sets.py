"""Sets: frames that were taken to be one picture."""

from typing import Any

STATEMENTS = """
CREATE TABLE IF NOT EXISTS frame_set (
  id INT AUTO_INCREMENT PRIMARY KEY, shoot_id INT NOT NULL, kind VARCHAR(12) NOT NULL, name VARCHAR(80) NOT NULL DEFAULT '',
  state VARCHAR(12) NOT NULL DEFAULT 'proposed', created_at DATETIME(6) NOT NULL,
  KEY set_shoot (shoot_id), FOREIGN KEY (shoot_id) REFERENCES shoot (id) ON DELETE CASCADE);
ALTER TABLE frame ADD COLUMN IF NOT EXISTS set_id INT NULL, ADD COLUMN IF NOT EXISTS set_decided BOOL NOT NULL DEFAULT 0;
ALTER TABLE frame ADD INDEX IF NOT EXISTS frame_in_set (set_id)
"""

atomic = False


def up(migrator: Any, database: Any) -> None:
    """A table and two columns; what was done before an interruption is not done twice."""
    for statement in STATEMENTS.split(";"):
        if statement.strip():
            database.execute_sql(statement)
