"""Lists without recipes, histories of differences, several versions of a frame, and changes made to many frames at once."""

import json
from typing import Any

STATEMENTS = """
ALTER TABLE frame
  ADD COLUMN IF NOT EXISTS camera VARCHAR(120) NOT NULL DEFAULT '', ADD COLUMN IF NOT EXISTS lens VARCHAR(200) NOT NULL DEFAULT
  '', ADD COLUMN IF NOT EXISTS file_type VARCHAR(60) NOT NULL DEFAULT '', ADD COLUMN IF NOT EXISTS width INT NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS height INT NOT NULL DEFAULT 0, ADD COLUMN IF NOT EXISTS exposure_time_s DOUBLE NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS f_number DOUBLE NOT NULL DEFAULT 0, ADD COLUMN IF NOT EXISTS iso INT NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS focal_length_mm DOUBLE NOT NULL DEFAULT 0, ADD COLUMN IF NOT EXISTS own_lens BOOL NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS bits INT NOT NULL DEFAULT 0, ADD COLUMN IF NOT EXISTS colour_space VARCHAR(60) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS cover_id INT NULL, ADD COLUMN IF NOT EXISTS removed_at DATETIME(6) NULL,
  ADD COLUMN IF NOT EXISTS changed_at DATETIME(6) NOT NULL DEFAULT '2000-01-01';
ALTER TABLE frame ADD INDEX IF NOT EXISTS frame_changed (shoot_id, changed_at);
ALTER TABLE version ADD COLUMN IF NOT EXISTS deleted_at DATETIME(6) NULL;
CREATE TABLE IF NOT EXISTS bulk (
  id INT AUTO_INCREMENT PRIMARY KEY, shoot_id INT NULL, kind VARCHAR(20) NOT NULL, words VARCHAR(250) NOT NULL,
  request_key VARCHAR(40) NULL UNIQUE, result JSON NULL, undone BOOL NOT NULL DEFAULT 0, created_at DATETIME(6) NOT NULL,
  FOREIGN KEY (shoot_id) REFERENCES shoot (id) ON DELETE CASCADE);
ALTER TABLE history_entry MODIFY COLUMN recipe JSON NULL, ADD COLUMN IF NOT EXISTS difference JSON NULL,
  ADD COLUMN IF NOT EXISTS bulk_id INT NULL;
ALTER TABLE history_entry ADD INDEX IF NOT EXISTS history_bulk (bulk_id)
"""
FACTS = ("lens", "file_type", "colour_space", "bits", "width", "height", "exposure_time_s", "f_number", "iso", "focal_length_mm")
TEXTS = ("lens", "file_type", "colour_space")

atomic = False


def up(migrator: Any, database: Any) -> None:
    """New columns filled from the facts that are there; what was done before an interruption is not done twice."""
    for statement in STATEMENTS.split(";"):
        if statement.strip():
            database.execute_sql(statement)
    names = ", ".join(f"{name} = %s" for name in FACTS)
    update = f"UPDATE frame SET {names}, camera = %s, own_lens = %s, changed_at = created_at WHERE id = %s"  # noqa: S608
    for number, capture in database.execute_sql("SELECT id, capture FROM frame WHERE width = 0").fetchall():
        facts = json.loads(capture) if isinstance(capture, str | bytes) else capture
        values = [facts.get(name) or ("" if name in TEXTS else 0) for name in FACTS]
        values[:3] = [str(value)[:60] if i else str(value)[:200] for i, value in enumerate(values[:3])]
        camera = f"{facts.get('camera_make') or ''} {facts.get('camera_model') or ''}".strip()[:120]
        database.execute_sql(update, (*values, camera, bool(facts.get("own_lens")), number))
    first = "SELECT MIN(version.id) FROM version WHERE version.frame_id = frame.id"
    database.execute_sql(f"UPDATE frame SET cover_id = ({first}) WHERE cover_id IS NULL")  # noqa: S608
