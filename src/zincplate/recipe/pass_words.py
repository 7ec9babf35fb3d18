"""Passes in words: what changed between two lists, and what a pass does ("+0.70 EV, warmer by 12 mired")."""

from typing import Any

from zincplate.ops.base import ui_of
from zincplate.ops.passes.passes import BLENDS, Controls
from zincplate.recipe.numbers import ARROW, with_unit

_KINDS = {
    "brush": "brush",
    "band": "band",
    "ring": "ring",
    "tone": "range of tone",
    "colour": "colour",
    "near": "what looks alike",
    "edges": "edges",
}


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
            found.append(f"Pass {name}, curve changed")
        elif ui["kind"] == "switch":
            found.append(f"Pass {name}, {label.lower()} {'on' if b else 'off'}")
        else:
            found.append(f"Pass {name}, {label.lower()} {with_unit(a, ui)} {ARROW} {with_unit(b, ui)}")
    return found


def _area(name: str, old: Any, new: Any) -> list[str]:
    before, after = {t.id: t for t in old.terms}, {t.id: t for t in new.terms}
    joins = {"add": "with", "without": "without", "only": "only where"}
    found = [f"Pass {name}, {joins[t.join]} {term_name(t)}" for i, t in after.items() if i not in before]
    found += [f"Pass {name}, {term_name(t)} struck out" for i, t in before.items() if i not in after]
    for i, term in after.items():
        was = before.get(i)
        if was is None or was == term:
            continue
        if term.kind == "brush" and was.kind == "brush" and was.strokes != term.strokes:
            more = len(term.strokes) - len(was.strokes)
            what = {1: "a stroke painted", -1: "a stroke taken back"}.get(more, f"{len(term.strokes)} strokes")
            if more == 1 and term.strokes[-1].erase:
                what = "a stroke rubbed out"
            found.append(f"Pass {name}, {what}")
        elif was.join != term.join:
            found.append(f"Pass {name}, {joins[term.join]} {term_name(term)}")
        else:
            found.append(f"Pass {name}, {term_name(term)} changed")
    if (old.grow_px, old.soften_px, old.cling, old.inverted) != (new.grow_px, new.soften_px, new.cling, new.inverted):
        found.append(f"Pass {name}, edge of its area changed" if old.inverted == new.inverted else f"Pass {name} turned round")
    return found


def passes_in_words(old: Any, new: Any) -> list[str]:
    """Passes added, taken away, changed or put in another order."""
    before, after = {p.id: p for p in old}, {p.id: p for p in new}
    found = [f"Pass {p.name} added" for i, p in after.items() if i not in before]
    found += [f"Pass {p.name} removed" for i, p in before.items() if i not in after]
    for i, one in after.items():
        was = before.get(i)
        if was is None or was == one:
            continue
        if was.name != one.name:
            found.append(f"Pass {was.name} named {one.name}")
        if was.on != one.on:
            found.append(f"Pass {one.name} switched {'on' if one.on else 'off'}")
        if was.strength != one.strength:
            found.append(f"Pass {one.name}, strength {was.strength:.0f} {ARROW} {one.strength:.0f}")
        if was.blend != one.blend:
            found.append(f"Pass {one.name}, blend {BLENDS[one.blend]}")
        if was.group != one.group:
            found.append(f"Pass {one.name} put into {one.group}" if one.group else f"Pass {one.name} taken out of {was.group}")
        found += _area(one.name, was.area, one.area)
        found += _controls(one.name, was.controls, one.controls)
    kept = [i for i in before if i in after]
    if kept != [i for i in after if i in before]:
        found.append("Passes put in another order")
    return found
