"""Presets of adjustments: readable files in the library's ``presets/`` folder, and those that ship with the application."""

import re
import unicodedata
from pathlib import Path
from typing import Any

from zincplate.formats.errors import FileError
from zincplate.formats.files import write_file
from zincplate.ops.order import ORDER
from zincplate.recipe.document import Recipe, RecipeError
from zincplate.recipe.preset import OWN, Preset, touched
from zincplate.recipe.words import settings_in_words
from zincplate.services.context import Context, NotFound, UserError
from zincplate.services.plates import as_shot_of
from zincplate.services.versions import get as get_version
from zincplate.store.home import Home

MOST = 2_000
LARGEST_BYTES = 1 << 20


def identity(preset: Preset) -> str:
    """How a preset is called in addresses and requests: its folder and name."""
    return f"{preset.folder}/{preset.name}" if preset.folder else preset.name


def _file_name(text: str) -> str:
    plain = unicodedata.normalize("NFC", text).strip()
    return re.sub(r'[\x00-\x1f/\\:*?"<>|]', "_", plain).strip(". ") or "preset"


def _path(home: Home, preset: Preset) -> Path:
    folder = home.presets / _file_name(preset.folder) if preset.folder else home.presets
    return folder / f"{_file_name(preset.name)}.json"


def _read(path: Path) -> Preset:
    try:
        if path.stat().st_size > LARGEST_BYTES:
            raise FileError(path, "A preset is not larger than 1 MB.")
        return Preset.from_json(path.read_bytes())
    except RecipeError as error:
        raise FileError(path, str(error)) from error
    except OSError as error:
        raise FileError(path, f"It could not be read: {error.strerror}.") from error


def all_presets(home: Home) -> tuple[list[Preset], list[str]]:
    """The library's presets and our own, by folder and name; and sentences about files that are none."""
    found, refused = [], []
    for path in sorted(home.presets.rglob("*.json"))[:MOST] if home.presets.is_dir() else ():
        try:
            found.append(_read(path))
        except FileError as error:
            refused.append(str(error))
    return sorted([*found, *OWN], key=lambda p: (p.own, p.folder.lower(), p.name.lower())), refused


def get(home: Home, name: str) -> Preset:
    """One by its identity; raises :class:`NotFound`."""
    for preset in all_presets(home)[0]:
        if identity(preset) == name:
            return preset
    raise NotFound(f'There is no preset "{name}".')


def listed(context: Context) -> dict[str, Any]:
    """All of them with what they set, in words."""
    presets, refused = all_presets(context.home)
    return {"presets": [as_dict(p) for p in presets], "refused": refused}


def as_dict(preset: Preset) -> dict[str, Any]:
    """JSON-ready."""
    recipe = Recipe.neutral(True).with_values(preset.values)
    plain = Recipe.neutral(True)
    words = [phrase for operation in preset.operations for phrase in settings_in_words(recipe, plain, operation)]
    return {
        "id": identity(preset),
        "name": preset.name,
        "folder": preset.folder,
        "note": preset.note,
        "own": preset.own,
        "operations": list(preset.operations),
        "words": words,
    }


def save(
    context: Context, version_id: int, operations: list[str], name: str, folder: str, note: str, replace: bool
) -> dict[str, Any]:
    """Keeps some adjustments of a version under a name; raises :class:`UserError` when the name is taken."""
    recipe = Recipe.from_document(get_version(version_id).recipe)
    try:
        preset = Preset.of(name, recipe, operations, folder, note)
    except RecipeError as error:
        raise UserError(str(error)) from error
    return as_dict(_kept(context.home, preset, replace))


def take_in(context: Context, text: bytes, replace: bool) -> dict[str, Any]:
    """A preset from a file that somebody passed on."""
    if len(text) > LARGEST_BYTES:
        raise UserError("A preset is not larger than 1 MB.")
    try:
        preset = Preset.from_json(text)
    except RecipeError as error:
        raise UserError(str(error)) from error
    return as_dict(_kept(context.home, preset, replace))


def _kept(home: Home, preset: Preset, replace: bool) -> Preset:
    if any(identity(preset) == identity(own) for own in OWN):
        raise UserError(f'"{preset.name}" ships with the application. Choose another name.')
    path = _path(home, preset)
    if path.exists() and not replace:
        raise UserError(f'There is a preset "{identity(preset)}" already.')
    write_file(path, preset.to_json().encode())
    return preset


def rename(context: Context, name: str, new_name: str, folder: str) -> dict[str, Any]:
    """Another name or folder."""
    preset = get(context.home, name)
    if preset.own:
        raise UserError(f'"{preset.name}" ships with the application and keeps its name.')
    try:
        renamed = preset.renamed(new_name, folder)
    except RecipeError as error:
        raise UserError(str(error)) from error
    if identity(renamed) != name:
        _kept(context.home, renamed, replace=False)
        _path(context.home, preset).unlink(missing_ok=True)
    return as_dict(renamed)


def delete(context: Context, name: str) -> str:
    """Takes a preset away and returns its content, so that it can be put back."""
    preset = get(context.home, name)
    if preset.own:
        raise UserError(f'"{preset.name}" ships with the application and stays.')
    _path(context.home, preset).unlink(missing_ok=True)
    return preset.to_json()


def values(context: Context, name: str, version_id: int, strength: float) -> dict[str, Any]:
    """What a preset would set on a version, and what that would change, in words."""
    preset, version = get(context.home, name), get_version(version_id)
    recipe = Recipe.from_document(version.recipe)
    as_shot = as_shot_of(context, version.frame) if "balance" in preset.operations and strength != 1 else None
    try:
        return {"values": preset.at(strength, as_shot), "words": preset.changes(recipe, strength, as_shot)}
    except RecipeError as error:
        raise UserError(str(error)) from error


def adjustments(version_id: int) -> dict[str, Any]:
    """The adjustments of a version, each with what it is set to in words: for choosing what to carry or keep."""
    version = get_version(version_id)
    raw = version.frame.raw
    recipe, plain = Recipe.from_document(version.recipe), Recipe.neutral(raw)
    set_here = set(touched(recipe, raw))
    return {
        "adjustments": [
            {
                "id": o.id,
                "step": o.step,
                "label": o.label,
                "touched": o.id in set_here,
                "words": settings_in_words(recipe, plain, o.id),
            }
            for o in ORDER
        ]
    }
