"""Are all originals what they were when they came in, and are all recipes readable? Works without the database."""

import json
from pathlib import Path
from typing import Any

from zincplate.recipe.document import Recipe, RecipeError
from zincplate.services.bring_in import hash_of
from zincplate.store.home import Home


def verify(home: Home) -> dict[str, Any]:
    """Counts, and a sentence for every original or recipe that is not right."""
    problems: list[str] = []
    seen: dict[str, dict[str, Any]] = {}
    if home.manifest.exists():
        for number, line in enumerate(home.manifest.read_text(encoding="utf-8").splitlines(), 1):
            try:
                entry = json.loads(line)
                seen[entry["path"]] = entry
            except (json.JSONDecodeError, KeyError, TypeError):
                problems.append(f"{home.manifest.name}: Line {number} cannot be read.")
    for stored, entry in seen.items():
        path = Path(stored) if entry.get("referenced") else home.originals / stored
        if not path.is_file():
            problems.append(f"{path.name}: The original is not where it was ({path.parent}).")
        elif hash_of(path) != entry.get("sha256"):
            problems.append(f"{path.name}: The original is not what it was when it came in; its content hash differs.")
    recipes = sorted(home.recipes.rglob("*.json"))
    for path in recipes:
        try:
            Recipe.from_document(json.loads(path.read_text(encoding="utf-8"))["recipe"])
        except (json.JSONDecodeError, KeyError, TypeError, RecipeError) as error:
            problems.append(f"{path.name}: The recipe cannot be read: {error}")
    return {"originals": len(seen), "recipes": len(recipes), "problems": problems}
