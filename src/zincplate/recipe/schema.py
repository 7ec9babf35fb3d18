"""The recipe's JSON schema, put together from the parameter models (JSON Schema 2020-12)."""

import json
from typing import Any

from zincplate.ops.base import STEPS
from zincplate.ops.order import ORDER
from zincplate.recipe.document import FORMAT, Recipe


def recipe_schema() -> dict[str, Any]:
    """Schema of a full recipe; ``x-ui`` beside each control holds its label, range, unit and help."""
    sections: dict[str, Any] = {}
    definitions: dict[str, Any] = {}
    for operation in ORDER:
        schema = operation.parameters.model_json_schema(mode="serialization")
        definitions.update(schema.get("$defs", {}))
        section = sections.setdefault(operation.step, {"type": "object", "properties": {}, "additionalProperties": False})
        for name, value in schema["properties"].items():
            section["properties"][name] = {k: v for k, v in value.items() if k != "title"}
    ordered = {step: sections[step] for step in STEPS if step in sections}
    for section in ordered.values():
        section["required"] = list(section["properties"])
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Recipe",
        "type": "object",
        "additionalProperties": False,
        "properties": {
            "recipe": {"const": FORMAT},
            "versions": {
                "type": "object",
                "properties": {o.id: {"const": o.version} for o in ORDER},
                "required": [o.id for o in ORDER],
                "additionalProperties": False,
            },
            **ordered,
            "off": {"type": "array", "items": {"enum": list(STEPS)}},
        },
        "required": ["recipe", "versions", *ordered, "off"],
        **({"$defs": definitions} if definitions else {}),
    }


def panel() -> dict[str, Any]:
    """What the page needs: the schema, the controls of each step in order, and neutral recipes."""
    schema = recipe_schema()
    return {
        "recipe": schema,
        "steps": {step: list(schema["properties"].get(step, {}).get("properties", {})) for step in STEPS},
        "neutral": {"raw": Recipe.neutral(True).to_document(), "rendered": Recipe.neutral(False).to_document()},
    }


if __name__ == "__main__":
    print(json.dumps(recipe_schema(), indent=1))
