"""Jobs know the request they were made for: sent twice it starts one. Finished ones are found by age."""

from typing import Any

STATEMENTS = """
ALTER TABLE job ADD COLUMN IF NOT EXISTS request_key VARCHAR(40) NULL DEFAULT NULL;
ALTER TABLE job ADD COLUMN IF NOT EXISTS tried_from DOUBLE NOT NULL DEFAULT 0;
CREATE UNIQUE INDEX IF NOT EXISTS job_request_key ON job (request_key);
CREATE INDEX IF NOT EXISTS job_state_changed ON job (state, changed_at)
"""

atomic = False


def up(migrator: Any, database: Any) -> None:
    """Two columns and two indexes; what was done before an interruption is not done twice."""
    for statement in STATEMENTS.split(";"):
        if statement.strip():
            database.execute_sql(statement)
