"""Shoots, frames, versions with history, refusals, jobs, deliveries."""

from typing import Any

STATEMENTS = """
CREATE TABLE shoot (
  id INT AUTO_INCREMENT PRIMARY KEY, name VARCHAR(120) NOT NULL, folder VARCHAR(160) NOT NULL UNIQUE,
  created_at DATETIME(6) NOT NULL);
CREATE TABLE frame (
  id INT AUTO_INCREMENT PRIMARY KEY, shoot_id INT NOT NULL, name VARCHAR(200) NOT NULL, content_hash CHAR(64) NOT NULL,
  size_bytes BIGINT NOT NULL, path VARCHAR(1000) NOT NULL, referenced BOOL NOT NULL, capture JSON NOT NULL, raw BOOL NOT NULL,
  captured_at DATETIME(6) NULL, mark VARCHAR(8) NOT NULL, stars SMALLINT NOT NULL, label VARCHAR(40) NOT NULL,
  thumb_state VARCHAR(8) NOT NULL, created_at DATETIME(6) NOT NULL,
  UNIQUE KEY frame_content (shoot_id, content_hash), KEY frame_order (shoot_id, captured_at, name), KEY frame_hash (content_hash),
  FOREIGN KEY (shoot_id) REFERENCES shoot (id) ON DELETE CASCADE);
CREATE TABLE version (
  id INT AUTO_INCREMENT PRIMARY KEY, frame_id INT NOT NULL, number INT NOT NULL, name VARCHAR(80) NOT NULL,
  recipe JSON NOT NULL, revision INT NOT NULL, position INT NOT NULL, adjusted BOOL NOT NULL,
  UNIQUE KEY version_number (frame_id, number),
  FOREIGN KEY (frame_id) REFERENCES frame (id) ON DELETE CASCADE);
CREATE TABLE history_entry (
  id INT AUTO_INCREMENT PRIMARY KEY, version_id INT NOT NULL, position INT NOT NULL, words VARCHAR(250) NOT NULL,
  recipe JSON NOT NULL, created_at DATETIME(6) NOT NULL,
  UNIQUE KEY history_position (version_id, position),
  FOREIGN KEY (version_id) REFERENCES version (id) ON DELETE CASCADE);
CREATE TABLE refusal (
  id INT AUTO_INCREMENT PRIMARY KEY, shoot_id INT NOT NULL, name VARCHAR(250) NOT NULL, reason VARCHAR(500) NOT NULL,
  created_at DATETIME(6) NOT NULL, KEY refusal_shoot (shoot_id),
  FOREIGN KEY (shoot_id) REFERENCES shoot (id) ON DELETE CASCADE);
CREATE TABLE job (
  id VARCHAR(36) PRIMARY KEY, kind VARCHAR(40) NOT NULL, title VARCHAR(200) NOT NULL, arguments JSON NOT NULL,
  state VARCHAR(12) NOT NULL, attempt INT NOT NULL, max_attempts INT NOT NULL, progress DOUBLE NOT NULL,
  note VARCHAR(500) NOT NULL, cancel BOOL NOT NULL, lease_until DOUBLE NOT NULL, owner VARCHAR(60) NOT NULL,
  result JSON NULL, created_at DATETIME(6) NOT NULL, changed_at DATETIME(6) NOT NULL,
  KEY job_state (state, lease_until), KEY job_created (created_at));
CREATE TABLE delivered (
  id INT AUTO_INCREMENT PRIMARY KEY, version_id INT NOT NULL, job VARCHAR(36) NOT NULL, revision INT NOT NULL,
  recipe JSON NOT NULL, preset JSON NOT NULL, path VARCHAR(500) NOT NULL UNIQUE, content_hash CHAR(64) NOT NULL,
  size_bytes BIGINT NOT NULL, width INT NOT NULL, height INT NOT NULL, created_at DATETIME(6) NOT NULL,
  KEY delivered_version (version_id, created_at),
  FOREIGN KEY (version_id) REFERENCES version (id) ON DELETE CASCADE);
"""

atomic = False  # MariaDB commits at every CREATE TABLE anyway


def up(migrator: Any, database: Any) -> None:
    """All tables."""
    for statement in STATEMENTS.split(";\n"):
        if statement.strip():
            database.execute_sql(statement.replace("CREATE TABLE ", "CREATE TABLE IF NOT EXISTS ", 1))
