"""The OpenAPI document tells what recipes and views are, by the one schema of each."""

import json
from typing import Any

import jsonschema_rs
import pytest
from hypothesis import given, settings

from tests.contract.test_operations import values
from zincplate.api.openapi import openapi_document
from zincplate.recipe.document import Recipe
from zincplate.services.view_answer import ViewHeader


@pytest.fixture(scope="module")
def document() -> dict[str, Any]:
    found: dict[str, Any] = json.loads(openapi_document())
    return found


def checker(document: dict[str, Any], name: str) -> jsonschema_rs.Draft202012Validator:
    return jsonschema_rs.Draft202012Validator({"$ref": f"#/components/schemas/{name}", "components": document["components"]})


def test_every_recipe_that_is_sent_or_answered_is_the_recipe_s_own_schema(document: dict[str, Any]) -> None:
    schemas = document["components"]["schemas"]
    holders = {name: part["properties"]["recipe"] for name, part in schemas.items() if "recipe" in part.get("properties", {})}
    at = {"$ref": "#/components/schemas/Recipe"}
    assert holders.pop("Recipe") == {"const": 1}
    assert holders.pop("SchemaOut")["type"] == "object"  # that one is a schema itself
    assert holders.pop("ViewIn")["anyOf"] == [at, {"type": "null"}]
    assert len(holders) > 8 and all(held == at for held in holders.values()), holders


@pytest.mark.parametrize("raw", [True, False])
def test_recipes_fit_and_wrong_ones_do_not(document: dict[str, Any], raw: bool) -> None:
    fits = checker(document, "Recipe")
    recipe = Recipe.neutral(raw).to_document()
    assert fits.is_valid(recipe)
    # what a newer program knows besides is kept, so the document allows it
    assert fits.is_valid({**recipe, "tone": {**recipe["tone"], "newer": 1}})
    assert not fits.is_valid({**recipe, "tone": {**recipe["tone"], "exposure_ev": "1"}})
    assert not fits.is_valid({key: value for key, value in recipe.items() if key != "passes"})
    ring = {"kind": "ring", "id": "a", "join": "add", "strength": 100, "inverted": False}
    area = {**ring, "x": 0.5, "y": 0.5, "radius_x": 0.1, "radius_y": 0.1, "softness": 50, "angle": 0}
    assert checker(document, "RecipeRing").is_valid(area)
    assert not checker(document, "RecipeRing").is_valid({**area, "softness": 101})


FITS = checker(json.loads(openapi_document()), "Recipe")


@settings(max_examples=40, deadline=None)
@given(values())
def test_any_recipe_fits(chosen: dict[str, dict[str, Any]]) -> None:
    recipe = Recipe.neutral(False).with_values(chosen).to_document()
    FITS.validate(json.loads(json.dumps(recipe)))


def test_the_header_of_a_view_is_told(document: dict[str, Any]) -> None:
    told = document["components"]["schemas"]["ViewHeader"]
    assert list(told["properties"]) == list(ViewHeader.model_fields) and told["required"] == list(ViewHeader.model_fields)
    assert told["properties"]["framing"]["anyOf"][0] == {"$ref": "#/components/schemas/FramingFacts"}
    lines = document["components"]["schemas"]["FramingFacts"]["properties"]["lines"]["items"]
    assert lines["$ref"].rsplit("/", 1)[1] in document["components"]["schemas"]


@pytest.mark.parametrize(
    ("body", "field"),
    [
        ("EraseIn", "originals"),
        ("SavePresetIn", "replace"),
        ("PresetTextIn", "replace"),
        ("BringInIn", "keep_folders"),
        ("BringInIn", "watch"),
        ("BringInIn", "reference"),
    ],
)
def test_what_takes_something_away_or_goes_on_by_itself_is_done_when_it_is_asked_for(
    document: dict[str, Any], body: str, field: str
) -> None:
    assert document["components"]["schemas"][body]["properties"][field]["default"] is False
