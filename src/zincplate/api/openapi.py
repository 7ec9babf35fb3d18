"""The OpenAPI document, with what the library cannot know: the recipe's own schema, and the header of a view's binary answer."""

import json
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter

from zincplate.api.app import create_app
from zincplate.recipe.schema import recipe_schema
from zincplate.services.context import Context
from zincplate.services.view_answer import ViewHeader
from zincplate.store.home import Home

PLACE = "#/components/schemas/"


def _recipe() -> dict[str, Any]:
    """Components of the recipe, each under a name of its own; ranges, words and parts a newer program knows are left to the
    recipe's own schema."""
    schema = recipe_schema()
    names = {name: f"Recipe{name}" for name in schema.pop("$defs", {})} | {"": "Recipe"}
    whole = {"": schema, **recipe_schema().get("$defs", {})}
    return {names[name]: _placed(part, names) for name, part in whole.items()}


def _placed(part: Any, names: dict[str, str]) -> Any:
    if isinstance(part, list):
        return [_placed(item, names) for item in part]
    if not isinstance(part, dict):
        return part
    if "$ref" in part:
        return {"$ref": PLACE + names[part["$ref"].rsplit("/", 1)[1]]}
    left_out = {"$schema", "x-ui", "discriminator"} | ({"additionalProperties"} if "properties" in part else set())
    return {key: _placed(value, names) for key, value in part.items() if key not in left_out}


def _referred(part: Any) -> Any:
    """Where the models say "a recipe", the recipe's schema is meant."""
    if isinstance(part, list):
        return [_referred(item) for item in part]
    if not isinstance(part, dict):
        return part
    if part.get("format") == "recipe":
        return {"$ref": PLACE + "Recipe"}
    return {key: _referred(value) for key, value in part.items()}


def openapi_document() -> str:
    """The API's OpenAPI document; no database is asked."""
    app: Any = create_app(Context(Home(Path())))
    document = _referred(app.api_doc)
    # the library leaves an empty place for what there is none of, which no document may have
    document["components"] = {name: part for name, part in document["components"].items() if part is not None}
    header = TypeAdapter(ViewHeader).json_schema(mode="serialization", ref_template=PLACE + "{model}")
    document["components"]["schemas"] |= header.pop("$defs") | {"ViewHeader": header} | _recipe()
    return json.dumps(document, indent=1) + "\n"
