"""Recipes from the command line: files, presets and single settings."""

import argparse
import json
from pathlib import Path
from typing import Any

from zincplate.cli.usage import BadUsage
from zincplate.formats.errors import FileError
from zincplate.ops.areas import SHAPE
from zincplate.ops.order import ORDER
from zincplate.recipe.document import CONTROLS, Recipe, RecipeError
from zincplate.recipe.preset import Preset

_OF_A_CROP = ("crop_x", "crop_y", "crop_width", "crop_height")


def _setting(text: str) -> tuple[str, str, Any]:
    """``tone.exposure_ev=0.5`` -> (step, control, value); values are JSON, or plain words."""
    left, equals, right = text.partition("=")
    step, dot, control = left.strip().partition(".")
    if not equals or not dot or not step or not control:
        raise BadUsage(f'--set {text}: write STEP.CONTROL=VALUE, for example "tone.exposure_ev=0.5".')
    owner = CONTROLS.get((step, control))
    if owner is not None and _kind(owner, control) == "choice":
        return step, control, right.strip().strip('"')  # a word also where it looks like a number
    try:
        value = json.loads(right)
    except json.JSONDecodeError:
        value = right.strip()
    return step, control, value


def _with_pass(recipe: Recipe, path: str, value: Any) -> Recipe:
    """A recipe with one control of a pass changed: ``NAME.CONTROL``, where a name may hold dots; raises :class:`RecipeError`."""
    name, _, control = path.rpartition(".")
    passes = [one.model_dump() for one in recipe.value("passes", "passes")]
    chosen = [one for one in passes if name in (one["name"], one["id"])]
    if not chosen:
        listed = ", ".join(one["name"] for one in passes) or "none"
        raise RecipeError(f'There is no pass "{name}". The recipe has {listed}.')
    known = [*chosen[0]["controls"], "on", "strength", "blend", *SHAPE, "inverted"]
    if control not in known:
        raise RecipeError(f'A pass has no "{control}". It has {", ".join(known)}.')
    for one in chosen:
        section = one if control in one else one["area"] if control in one["area"] else one["controls"]
        section[control] = value
    return recipe.with_values({"passes": {"passes": passes}})


def _kind(operation_id: str, control: str) -> str:
    """What a control is: gauge, choice, switch and so on."""
    operation = next(o for o in ORDER if o.id == operation_id)
    extra = operation.parameters.model_fields[control].json_schema_extra
    ui: Any = extra.get("x-ui", {}) if isinstance(extra, dict) else {}
    return str(ui.get("kind", ""))


def _check_crop(recipe: Recipe, given: list[str]) -> None:
    """A part of a crop does nothing without the rest: that is said instead of passed over."""
    names = [name for name in _OF_A_CROP if f"framing.{name}" in given]
    if names and not (recipe.value("framing", "crop_width") and recipe.value("framing", "crop_height")):
        missing = [n for n in ("crop_width", "crop_height") if not recipe.value("framing", n)]
        raise BadUsage(f"--set framing.{names[0]}: a crop needs {' and '.join(missing)} too (of the long edge, 0.005 to 4).")


def recipe_of(arguments: argparse.Namespace, raw: bool) -> Recipe:
    """The recipe that ``--recipe``, ``--preset`` and ``--set`` ask for, in this order."""
    recipe = recipe_file(arguments.recipe, raw)
    if getattr(arguments, "preset", None) is not None:
        recipe = with_preset(recipe, arguments.preset, arguments.strength)
    for text in arguments.set:
        step, control, value = _setting(text)
        try:
            if step == "passes" and control != "passes":
                recipe = _with_pass(recipe, control, value)
            else:
                recipe = recipe.with_values({step: {control: value}})
        except RecipeError as error:
            raise BadUsage(f"--set {text}: {error}") from error
    _check_crop(recipe, [text.partition("=")[0].strip() for text in arguments.set])
    return recipe


def with_preset(recipe: Recipe, path: Path, strength: float) -> Recipe:
    """A preset from a file on a recipe."""
    try:
        return recipe.with_values(Preset.from_json(path.read_bytes()).at(strength))
    except OSError as error:
        raise FileError(path, f"It could not be read: {error.strerror}.") from error
    except RecipeError as error:
        raise FileError(path, str(error)) from error


def recipe_file(path: Path | None, raw: bool) -> Recipe:
    """The recipe of a file, which may hold only some steps; None is how a frame comes in."""
    recipe = Recipe.neutral(raw)
    if path is not None:
        try:
            document = json.loads(path.read_text(encoding="utf-8"))
        except OSError as error:
            raise FileError(path, f"It could not be read: {error.strerror}.") from error
        except (json.JSONDecodeError, UnicodeDecodeError) as error:
            raise FileError(path, f"This is not JSON: {error}.") from error
        if isinstance(document, dict) and isinstance(document.get("recipe"), dict):
            document = document["recipe"]  # the readable copy that the library keeps
        try:
            base = recipe.to_document()
            if isinstance(document, dict):
                for key, section in document.items():
                    if isinstance(section, dict) and isinstance(base.get(key), dict):
                        document[key] = {**base[key], **section}
                document = {**base, **document}
            recipe = Recipe.from_document(document)
        except RecipeError as error:
            raise FileError(path, str(error)) from error
    return recipe
