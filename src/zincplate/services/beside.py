"""What stands beside a file that is brought in: words about it in an XMP file, and a recipe of ours."""

import json
from dataclasses import fields, replace
from pathlib import Path
from typing import Any

from zincplate.formats.capture import CaptureData
from zincplate.formats.description import facts_of_xmp
from zincplate.recipe.document import Recipe, RecipeError

LARGEST_BYTES = 8 << 20
_WORDS = ("rating", "label", "title", "caption", "keywords", "copyright", "artist", "place", "city", "region", "country")
"""Facts that a file beside a picture may tell of it; what the camera recorded stays as it is."""


def belongs(file: Path, picture: Path) -> bool:
    """Whether a file is called as one that stands beside a picture."""
    names = (*_xmp_names(picture), *_recipe_names(picture))
    return file.name.lower() in {name.lower() for name in names}


def _xmp_names(path: Path) -> tuple[str, ...]:
    return f"{path.name}.xmp", f"{path.stem}.xmp"


def _recipe_names(path: Path) -> tuple[str, ...]:
    return f"{path.name}.1.json", f"{path.name}.json", f"{path.stem}.json"


def _file(path: Path, names: tuple[str, ...]) -> Path | None:
    """The first of some names that stands beside a file, its ending written small, large or with a capital; the folder, which
    may hold thousands, is not listed for it."""
    for name in names:
        stem, _, ending = name.rpartition(".")
        for candidate in (path.with_name(f"{stem}.{e}") for e in (ending, ending.upper(), ending.capitalize())):
            try:
                if candidate.is_file():
                    return candidate
            except OSError:  # a longer name than names may be
                continue
    return None


def with_words(path: Path, capture: CaptureData) -> tuple[CaptureData, dict[str, Any]]:
    """The facts with what an XMP file beside the picture says: ``NAME.xmp`` or ``NAME.EXT.xmp`` (ISO 16684-1). It counts before
    the file's own words, since it was written later; one that cannot be read is noted. The second value is what it says."""
    beside = _file(path, _xmp_names(path))
    if beside is None:
        return capture, {}
    try:
        if beside.stat().st_size > LARGEST_BYTES:
            raise OSError(0, "it is larger than 8 MB")
        facts, notes = facts_of_xmp(beside.read_bytes())
    except OSError as error:
        return replace(capture, notes=(*capture.notes, f"{beside.name} beside it could not be read: {error.strerror}.")), {}
    known = {f.name for f in fields(CaptureData)}
    found = {name: facts[name] for name in _WORDS if name in facts and name in known}
    told = tuple(f"{beside.name} beside it: {note}" for note in notes)
    return replace(capture, **found, notes=(*capture.notes, *told)), found


def recipe_beside(path: Path, content_hash: str, raw: bool) -> tuple[Recipe | None, str]:
    """A recipe of ours beside a picture (``NAME.EXT.1.json``, ``NAME.EXT.json`` or ``NAME.json``), and a sentence when there is
    something that is none, or one that was made for another file."""
    beside = _file(path, _recipe_names(path))
    if beside is None:
        return None, ""
    try:
        if beside.stat().st_size > LARGEST_BYTES:
            return None, ""
        document: Any = json.loads(beside.read_bytes())
    except (OSError, ValueError):
        return None, ""  # other programs write JSON too
    if not isinstance(document, dict) or "recipe" not in document:
        return None, ""
    original = document.get("original")
    if isinstance(original, dict) and original.get("sha256") not in (None, content_hash):
        return None, f"The recipe {beside.name} beside it was made for another file and was passed over."
    inner = document["recipe"] if isinstance(document["recipe"], dict) else document
    try:
        base = Recipe.neutral(raw).to_document()
        sections = {k: {**base[k], **v} if isinstance(v, dict) and isinstance(base.get(k), dict) else v for k, v in inner.items()}
        return Recipe.from_document({**base, **sections}), ""
    except RecipeError as error:
        return None, f"The recipe {beside.name} beside it could not be used: {error}"
