"""Passes in words: what changed between two lists, and what a pass does ("+0.70 EV, warmer by 12 mired")."""

from typing import Any

from zincplate.ops.areas import SHAPE
from zincplate.ops.base import ui_of
from zincplate.ops.passes.passes import BLENDS, Controls
from zincplate.recipe.numbers import ARROW, with_unit

_KINDS = {
    "brush": "brush",
    "band": "band",
    "ring": "ring",
    "tone": "range of tone",
    "depth": "range of depth",
    "colour": "colour",
    "near": "what looks alike",
    "edges": "edges",
}


def _called(name: str) -> str:
    """A pass as it is spoken of: "Pass vault", but not "Pass Pass 1"."""
    return name if name.lower().startswith("pass") else f"Pass {name}"


def term_name(term: Any) -> str:
    """A part of an area as one says it."""
    return str(term.what) if term.kind == "found" else _KINDS[term.kind]


def _controls(name: str, old: Controls, new: Controls) -> list[str]:
    found = []
    for control, info in Controls.model_fields.items():
        a, b = getattr(old, control), getattr(new, control)
        if a == b:
            continue
        ui = ui_of(info)
        label = str(ui["label"])
        if ui["kind"] == "curve":
            found.append(f"{_called(name)}, curve changed")
        elif ui["kind"] == "picked":
            found.append(f"{_called(name)}, {label.lower()} {'picked' if b else 'taken from around it'}")
        elif ui["kind"] == "switch":
            found.append(f"{_called(name)}, {label.lower()} {'on' if b else 'off'}")
        else:
            found.append(f"{_called(name)}, {label.lower()} {with_unit(a, ui)} {ARROW} {with_unit(b, ui)}")
    return found


def _area(name: str, old: Any, new: Any) -> list[str]:
    before, after = {t.id: t for t in old.terms}, {t.id: t for t in new.terms}
    joins = {"add": "with", "without": "without", "only": "only where"}
    found = [f"{_called(name)}, {joins[t.join]} {term_name(t)}" for i, t in after.items() if i not in before]
    found += [f"{_called(name)}, {term_name(t)} struck out" for i, t in before.items() if i not in after]
    for i, term in after.items():
        was = before.get(i)
        if was is None or was == term:
            continue
        if term.kind == "brush" and was.kind == "brush" and was.strokes != term.strokes:
            more = len(term.strokes) - len(was.strokes)
            what = {1: "a stroke painted", -1: "a stroke taken back"}.get(more, f"{len(term.strokes)} strokes")
            if more == 1 and term.strokes[-1].erase:
                what = "a stroke rubbed out"
            found.append(f"{_called(name)}, {what}")
        elif was.join != term.join:
            found.append(f"{_called(name)}, {joins[term.join]} {term_name(term)}")
        else:
            found.append(f"{_called(name)}, {term_name(term)} changed")
    if any(getattr(old, name) != getattr(new, name) for name in (*SHAPE, "inverted")):
        found.append(
            f"{_called(name)}, edge of its area changed" if old.inverted == new.inverted else f"{_called(name)} turned round"
        )
    return found


def passes_in_words(old: Any, new: Any) -> list[str]:
    """Passes added, taken away, changed or put in another order."""
    before, after = {p.id: p for p in old}, {p.id: p for p in new}
    found = [f"{_called(p.name)} added" for i, p in after.items() if i not in before]
    found += [f"{_called(p.name)} removed" for i, p in before.items() if i not in after]
    for i, one in after.items():
        was = before.get(i)
        if was is None or was == one:
            continue
        if was.name != one.name:
            found.append(f"{_called(was.name)} named {one.name}")
        if was.on != one.on:
            found.append(f"{_called(one.name)} switched {'on' if one.on else 'off'}")
        if was.strength != one.strength:
            found.append(f"{_called(one.name)}, strength {was.strength:.0f} {ARROW} {one.strength:.0f}")
        if was.blend != one.blend:
            found.append(f"{_called(one.name)}, blend {BLENDS[one.blend]}")
        if was.group != one.group:
            found.append(
                f"{_called(one.name)} put into {one.group}" if one.group else f"{_called(one.name)} taken out of {was.group}"
            )
        found += _area(one.name, was.area, one.area)
        found += _controls(one.name, was.controls, one.controls)
    kept = [i for i in before if i in after]
    if kept != [i for i in after if i in before]:
        found.append("Passes put in another order")
    return found
