"""Repairs in words: what changed between two lists ("Spot mended", "Removal 3 filled another way")."""

from typing import Any

_DONE = {
    "spot": "Spot mended",
    "clone": "Cloned",
    "heal": "Healed",
    "patch": "Patched",
    "removal": "Removed",
    "cover": "Covered",
}


def _made(one: Any) -> str:
    return "Filled beyond the picture" if one.kind == "removal" and not one.strokes else _DONE[one.kind]


def _many(fresh: list[Any]) -> str:
    words = {_made(one) for one in fresh}
    return f"{words.pop()} ({len(fresh)})" if len(words) == 1 and fresh[0].kind == "removal" else f"{len(fresh)} repairs made"


def _shape(a: Any, b: Any, name: str) -> list[str]:
    found = []
    if a.strokes != b.strokes:
        more = len(b.strokes) - len(a.strokes)
        if more == 1 and b.strokes[-1].erase:
            found.append(f"{name}, a stroke rubbed out")
        elif more == 1:
            found.append(f"{name}, a stroke painted")
        elif more == -1:
            found.append(f"{name}, a stroke taken back")
        else:
            found.append(f"{name} moved")
    if a.outline != b.outline:
        found.append(f"{name} moved")
    return found


def _changed(a: Any, b: Any, name: str) -> list[str]:
    found = _shape(a, b, name)
    if a.on != b.on:
        found.append(f"{name} switched {'on' if b.on else 'off'}")
    if a.strength != b.strength:
        found.append(f"{name}, strength {a.strength:.0f} \N{RIGHTWARDS ARROW} {b.strength:.0f}")
    if (a.dx, a.dy) != (b.dx, b.dy):
        found.append(f"{name} taken from another place")
    if (a.angle, a.mirrored) != (b.angle, b.mirrored):
        found.append(f"{name} turned")
    if a.soften_px != b.soften_px:
        found.append(f"{name}, border {b.soften_px:.0f} px soft")
    if a.source_outline != b.source_outline:
        found.append(f"{name} taken from {'where it was drawn' if b.source_outline else 'all round'}")
    if a.seed != b.seed:
        found.append(f"{name} filled another way")
    elif a.fill != b.fill and not found:
        found.append(f"{name} filled")
    if a.reach != b.reach:
        found.append(f"{name} looks {b.reach:.0f} % around")
    if a.colour != b.colour:
        found.append(f"{name} in another colour")
    if a.grain != b.grain:
        found.append(f"{name} {'with' if b.grain else 'without'} grain")
    return found


def repairs_in_words(old: Any, new: Any) -> list[str]:
    """What changed, one phrase for each."""
    before, after = {r.id: r for r in old}, {r.id: r for r in new}
    fresh = [r for i, r in after.items() if i not in before]
    gone = [(n, r) for n, r in enumerate(old, 1) if r.id not in after]
    found = [_many(fresh)] if len(fresh) > 3 else [_made(r) for r in fresh]
    found += [f"{len(gone)} repairs struck out"] if len(gone) > 3 else [f"{r.kind.capitalize()} {n} struck out" for n, r in gone]
    number = {r.id: n for n, r in enumerate(new, 1)}
    for i, one in after.items():
        if i in before and before[i] != one:
            found += _changed(before[i], one, f"{one.kind.capitalize()} {number[i]}")
    if not found and [r.id for r in old] != [r.id for r in new]:
        found.append("Order of repairs changed")
    return found or ["Repairs changed"]


def repairs_in_short(repairs: Any) -> str:
    """A whole list as one says it: "3 spots, 1 removal"."""
    counts: dict[str, int] = {}
    for one in repairs:
        counts[one.kind] = counts.get(one.kind, 0) + 1
    plural = {"patch": "patches"}
    return ", ".join(f"{n} {k if n == 1 else plural.get(k, k + 's')}" for k, n in counts.items()) or "none"
