"""Changes of a recipe in words, from the parameter models: "Exposure +0.35 -> +0.60 EV"."""

from collections.abc import Callable
from typing import Any

from zincplate.ops.base import STEPS, ui_of
from zincplate.ops.order import ORDER
from zincplate.recipe.document import Recipe
from zincplate.recipe.numbers import ARROW, with_unit
from zincplate.recipe.pass_words import passes_in_words
from zincplate.recipe.repair_words import repairs_in_short, repairs_in_words


def formatted(value: Any, ui: dict[str, Any]) -> str:
    """One value with sign and unit as the panel shows it."""
    if value is None:
        return "as shot"
    kind = ui.get("kind")
    if kind == "choice":
        return str(dict(ui["options"]).get(value, value)).lower()
    if kind == "curve":
        return "straight" if list(map(list, value)) == [[0, 0], [1, 1]] else f"{len(value)} points"
    if kind == "switch":
        return "on" if value else "off"
    if kind == "passes":
        return "none" if not value else ", ".join(one.name for one in value)
    if kind == "repairs":
        return repairs_in_short(value)
    if kind == "own_keys":
        return "none" if not value else ", ".join(key.name for key in value)
    if kind in _FRAMING_WORDS:
        return _FRAMING_WORDS[kind](value)
    return with_unit(value, ui)


def _counted(number: int, one: str) -> str:
    return "none" if number == 0 else f"{number} {one}{'s' if number > 1 else ''}"


_FRAMING_WORDS: dict[str, Callable[[Any], str]] = {
    "profile": lambda value: {"": "none", "auto": "by the file"}.get(value) or value.split(" / ")[1],
    "corners": lambda value: "pulled" if any(value) else "as they are",
    "lines": lambda value: _counted(len(value), "line"),
    "bent_lines": lambda value: _counted(len(value), "line"),
    "guides": lambda value: _counted(len(value), "guide"),
    "ratio": str,
}
_CROP = ("crop_x", "crop_y", "crop_width", "crop_height")


def _crop(before: Any, after: Any) -> str:
    """A crop in one phrase, whichever of its four numbers changed."""
    if not after.crop_width:
        return "Crop taken away"
    if (before.crop_width, before.crop_height) == (after.crop_width, after.crop_height):
        return "Crop moved"
    ratio = f" {after.ratio}" if ":" in after.ratio else ""
    return f"Crop{ratio} drawn" if not before.crop_width else f"Crop{ratio} changed"


def _keys(old: Any, new: Any) -> list[str]:
    """Picked keys added, taken away or changed."""
    before, after = {k.id: k for k in old}, {k.id: k for k in new}
    found = [f"Key {key.name} picked" for i, key in after.items() if i not in before]
    found += [f"Key {key.name} removed" for i, key in before.items() if i not in after]
    for i, key in after.items():
        if i not in before:
            continue
        for name in type(key).model_fields:
            x, y = getattr(before[i], name), getattr(key, name)
            if x != y:
                ui = {"low": -1 if name in ("hue", "saturation", "lightness", "grey") else 0}
                was, is_now = (x, y) if name == "name" else (formatted(x, ui), formatted(y, ui))
                found.append(f"Key {key.name}, {name} {was} {ARROW} {is_now}")
    return found


_OF_ITEMS: dict[str, Callable[[Any, Any], list[str]]] = {
    "own_keys": _keys,
    "passes": passes_in_words,
    "repairs": repairs_in_words,
}


def changes_in_words(old: Recipe, new: Recipe) -> list[str]:
    """What changed between two recipes, a phrase for each control."""
    found: list[str] = []
    for operation in ORDER:
        before, after = old.parameters[operation.id], new.parameters[operation.id]
        if before == after:
            continue
        cropped = operation.id == "crop" and any(getattr(before, n) != getattr(after, n) for n in _CROP)
        if cropped:
            found.append(_crop(before, after))
        for name, info in operation.parameters.model_fields.items():
            a, b = getattr(before, name), getattr(after, name)
            if a == b or (cropped and name in (*_CROP, "ratio")):
                continue
            ui = ui_of(info)
            if ui.get("kind") in _OF_ITEMS:
                found.extend(_OF_ITEMS[ui["kind"]](a, b))
            else:
                found.append(f"{ui.get('label', name)} {formatted(a, ui)} {ARROW} {formatted(b, ui)}")
    for step in STEPS:
        if (step in old.off) != (step in new.off):
            found.append(f"{step.capitalize()} switched {'off' if step in new.off else 'on'}")
    return found


def describe(old: Recipe, new: Recipe) -> str:
    """What changed between two recipes; many changes are counted."""
    found = changes_in_words(old, new)
    if not found:
        return "Other settings changed"
    return "; ".join(found) if len(found) <= 3 else f"{found[0]} and {len(found) - 1} more"


def settings_in_words(recipe: Recipe, neutral: Recipe, operation_id: str) -> list[str]:
    """What one operation is set to where that is not neutral: "Exposure +0.60 EV"."""
    only = Recipe({**neutral.parameters, operation_id: recipe.parameters[operation_id]})
    found = []
    for phrase in changes_in_words(neutral, only):
        before, arrow, after = phrase.rpartition(f" {ARROW} ")
        found.append(_label_of(before, operation_id) + after if arrow else phrase)
    return found


def _label_of(text: str, operation_id: str) -> str:
    """The label that a phrase "Label old value" begins with, with a space behind."""
    operation = next(o for o in ORDER if o.id == operation_id)
    labels = [ui_of(info).get("label", "") for info in operation.parameters.model_fields.values()]
    best = max((label for label in labels if text.startswith(label)), key=len, default="")
    return f"{best} " if best else f"{text} {ARROW} "


def compared_in_words(first: Recipe, second: Recipe) -> list[str]:
    """How the second recipe shows a frame differently from the first, as one would say it: "cooler by 400 K", "cropped to
    5:4"."""
    found = changes_in_words(first, second)
    a, b = (r.value("balance", "temperature_kelvin") for r in (first, second))
    if a is not None and b is not None and a != b:
        warmer = "warmer" if b > a else "cooler"
        found = [f"{warmer} by {abs(b - a):.0f} K" if p.startswith("Temperature ") else p for p in found]
    e, f = (r.value("tone", "exposure_ev") for r in (first, second))
    if e != f:
        found = [f"{'lighter' if f > e else 'darker'} by {abs(f - e):.2f} EV" if p.startswith("Exposure ") else p for p in found]
    ratio = second.value("framing", "ratio")
    if second.value("framing", "crop_width") and ":" in str(ratio):
        found = [f"cropped to {ratio}" if p.startswith("Crop ") else p for p in found]
    return found
