"""Frames are found by what is written about them: one column of words, filled from the facts that are there."""

import json
from typing import Any

STATEMENT = "ALTER TABLE frame ADD COLUMN IF NOT EXISTS words MEDIUMTEXT NOT NULL DEFAULT ''"
FACTS = (
    "title", "caption", "user_comment", "artist", "copyright", "label", "camera_make", "camera_model", "lens", "place", "city",
    "region", "country", "file_type",
)  # fmt: skip

atomic = False


def up(migrator: Any, database: Any) -> None:
    """One column; filled again when it was interrupted."""
    database.execute_sql(STATEMENT)
    for number, name, capture in database.execute_sql("SELECT id, name, capture FROM frame WHERE words = ''").fetchall():
        facts = json.loads(capture) if isinstance(capture, str | bytes) else capture
        parts = [name, *(str(facts.get(key) or "") for key in FACTS), *(facts.get("keywords") or ())]
        words = "\n".join(part for part in parts if part)
        database.execute_sql("UPDATE frame SET words = %s WHERE id = %s", (words, number))
