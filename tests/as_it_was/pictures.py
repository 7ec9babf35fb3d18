"""Every control at two values, every kind of area and repair, and recipes with many of them at once."""

import json
from collections.abc import Callable
from dataclasses import replace
from functools import cache, partial
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tests.contract import test_effects, test_framing_effects, test_pass_controls, test_pass_inks, test_passes, test_repairs
from tests.contract.test_operations import rendered
from tests.contract.test_passes import TERMS, key, renderer, term, with_passes
from tests.contract.test_repairs import KINDS, points, stroke, with_filled, with_repairs
from tests.reference.test_highlights_and_light import camera_source, glowing
from tests.render.test_same_again import MADE
from zincplate.core.tone.blends import NUMBERS
from zincplate.recipe.document import Recipe
from zincplate.render.view import ViewRequest
from zincplate.sources.file import Source

Picture = NDArray[Any]
Case = Callable[[], Picture]
CODE = 1 / 65535
RECIPES = Path(__file__).parent / "recipes.jsonl"
"""Recipes drawn by lot as a version of 2026 wrote them, with what they were shown on; they are read as any older recipe is."""
SOURCES: dict[str, Callable[[], Source]] = {
    **MADE,
    "parts": test_effects.scene,
    "halves": test_passes.scene,
    "large": test_passes.large,
    "wheel": test_pass_inks.wheel,
    "spots": test_framing_effects.scene,
    "slopes": test_repairs.scene,
    "blown": cache(lambda: camera_source(glowing())),
    "mosaic": cache(lambda: camera_source(noisy())),
    "towers": cache(lambda: rendered(towers())),
}


def noisy() -> NDArray[np.float32]:
    """Camera planes of stripes, colours, a slope and a few hot sites; the sensor's noise is put in by ``camera_source``."""
    y, x = np.mgrid[0:240, 0:320].astype(np.float32)
    rng = np.random.default_rng(8)
    light = 0.03 + 0.3 * (x / 320) * (1 + 0.5 * np.sin(x / (1.2 + y / 60))) * (1 - 0.4 * (y > 170))
    planes = light * np.array([0.5, 1, 0.7], np.float32)[:, None, None]
    planes[0] *= 1 + 0.4 * np.sin(y / 30)
    planes[2] *= 1 + 0.4 * np.cos(x / 40)
    planes = planes * (1 + 0.05 * rng.standard_normal((1, 240, 320))) + 0.004 * rng.standard_normal((3, 240, 320))
    for v, u in rng.integers(8, 230, (12, 2)):
        planes[:, v, u] = 0.9
    return np.clip(planes, 0, 1).astype(np.float32)


def towers() -> NDArray[np.uint16]:
    """A sky that runs from blue to pale above a wall with leaning edges, and something like a face before it."""
    y, x = np.mgrid[0:240, 0:360].astype(np.float64)
    sky = np.stack([0.35 + 0.3 * y / 240, 0.5 + 0.25 * y / 240, 0.8 - 0.05 * y / 240], -1)
    wall = np.array([0.42, 0.34, 0.28]) * (1 + 0.25 * ((x // 14 + y // 9) % 2))[..., None]
    picture = np.where((y > 90 + 40 * (np.abs(x - 160 - 0.1 * y) > 70))[..., None], wall, sky)
    picture += 0.01 * np.random.default_rng(4).standard_normal((240, 360, 3))
    return np.rint(np.clip(picture, 0, 1) * 65535).astype(np.uint16)


def delivered(source: str, recipe: Callable[[], Recipe], **more: Any) -> Picture:
    return renderer().deliver(SOURCES[source](), recipe(), **{"space": "srgb", "bits": 16, **more}) * CODE


def seen(source: str, recipe: Callable[[], Recipe], request: ViewRequest) -> Picture:
    made = SOURCES[source]()
    return renderer().view(made, key(made), recipe(), request).picture / 255


def plain(source: str, values: dict[str, Any]) -> Case:
    return partial(delivered, source, lambda: Recipe.neutral(SOURCES[source]().raw).with_values(values))


def controls() -> dict[str, Case]:
    """Every control of the whole picture, at the two values that its direction is tested with."""
    found: dict[str, Case] = {}
    for name, (low, high, _, more) in test_effects.SPLIT.items():
        for end, value in (("low", low), ("high", high)):
            found[f"{name} {end}"] = plain("parts", test_effects.with_control(name, value, more))
    for name, (low, high, _, more) in test_framing_effects.MORE.items():
        for end, value in (("low", low), ("high", high)):
            found[f"framing.{name} {end}"] = plain("spots", {"framing": {**more, name: value}})
    own = [
        {
            "name": "clay",
            "centre_lightness": 0.5,
            "centre_a": 0.04,
            "centre_b": 0.04,
            "reach": 30,
            "hue": 20,
            "saturation": -40,
            "lightness": 25,
        }
    ]
    found["colour.own_keys"] = plain("wheel", {"colour": {"own_keys": own}})
    for source in ("blown", "mosaic"):
        for recovery in ("clip", "neutral", "rebuild"):
            found[f"{recovery} {source}"] = plain(source, {"tone": {"highlight_recovery": recovery, "exposure_ev": -1.5}})
        for name, value in (("hot_pixels", True), ("luminance_noise", 55), ("colour_noise", 70), ("haze", 40), ("clarity", 60)):
            found[f"{name} {source}"] = plain(source, {"definition": {name: value}})
        for name, value in (("shadows", 60), ("highlights", -60), ("white_point", 40), ("black_point", -40)):
            found[f"{name} {source}"] = plain(source, {"tone": {name: value}})
        found[f"balance {source}"] = plain(source, {"balance": {"temperature_kelvin": 3300, "tint": 25}})
        moved = {"angle": 3.3, "tilt": 8, "swing": -5, "bend": -3, "fringe_red": 0.6, "fringe_blue": -0.5, "corner_light": 0.7}
        found[f"framed {source}"] = plain(source, {"framing": moved})
    lined = {"luminance_noise": 60, "colour_noise": 60}
    found["noise of a scan"] = plain("scan", {"definition": lined})
    for source in ("scan", "mosaic"):
        best = {"luminance_noise": 70, "colour_noise": 50, "noise_method": "best"}
        found[f"noise the best way, {source}"] = plain(source, {"definition": best})
    found["noise of grain"] = plain("grain", {"definition": {**lined, "sharpen_amount": 90, "sharpen_threshold": 3}})
    return found


def passes() -> dict[str, Case]:
    """Every control of a pass, every blend, and every kind of area."""
    found: dict[str, Case] = {}
    half = test_passes.LEFT
    for name, (low, high, _, more) in test_pass_controls.DIRECTIONS.items():
        for end, value in (("low", low), ("high", high)):
            one = {"area": {"terms": half}, "controls": {**more, name: value}}
            found[f"{name} {end}"] = partial(delivered, "halves", partial(with_passes, one))
    for name in test_pass_inks.INKS:
        value = 130 if name.endswith("_hue") and name.startswith("toning") else 65
        one = {"controls": {**test_pass_inks.needed(name), name: value}, "strength": 80}
        found[name] = partial(delivered, "wheel", partial(with_passes, one))
    for blend in NUMBERS:
        strong = {"exposure_ev": 0.6, "saturation": -40, "tint_strength": 30}
        ring = {"terms": [term("ring")]}
        found[f"blend {blend}"] = partial(
            delivered, "halves", partial(with_passes, {"blend": blend, "controls": strong, "area": ring, "strength": 70})
        )
    shapes: dict[str, dict[str, Any]] = {
        **{kind: {"terms": [term(kind)]} for kind in TERMS},
        **{f"{kind} inverted": {"terms": [term(kind, inverted=True, strength=70)]} for kind in TERMS},
        **{f"ring only {kind}": {"terms": [term("ring"), term(kind, join="only")]} for kind in TERMS if kind != "ring"},
        "band without found": {"terms": [term("band"), term("found", join="without", strength=80)]},
        "pressed": {"terms": [term("brush", strokes=[
            {"points": [3000, 3000, 9000, 9000, 16000, 4000], "widths": [20, 100, 45], "size": 0.2, "hardness": 15, "flow": 70},
            {"points": [2000, 9000, 16000, 10000], "size": 0.1, "hardness": 100, "tones": "midtones"},
            {"points": [2000, 4000, 16000, 4000], "size": 0.1, "hardness": 60, "tones": "shadows", "build_up": True, "flow": 30},
        ])]},
        "soft tone": {"terms": [{"kind": "tone", "low": 20, "high": 55, "softness": 30}]},
        "grown": {"terms": [term("ring"), term("band")], "grow_px": 9, "soften_px": 6},
        "shrunk and inverted": {"terms": [term("ring")], "grow_px": -11.5, "soften_px": 20, "inverted": True},
        "closed": {"terms": [term("edges")], "close_px": 12, "smooth_px": 8},
        "clinging": {"terms": [term("ring")], "cling": 70},
        "a little clinging": {"terms": [term("brush")], "cling": 25, "grow_px": 5},
    }  # fmt: skip
    for name, area in shapes.items():
        for long_edge in (360, 150):
            shown = {"area": area, "controls": {"exposure_ev": 1}}
            request = ViewRequest(long_edge, long_edge, box=True, show="area_alone")
            found[f"{name} at {long_edge}"] = partial(seen, "halves", partial(with_passes, shown), request)
    # in large pictures what is looked at small is carried to where it is seen
    window = ViewRequest(1800, 1200, 500, 300, 220, 150)
    for name in ("shadows", "highlights", "clarity", "haze", "noise", "even_colour", "even_light", "shine", "glow"):
        one = {"area": {"terms": [term("ring"), term("tone")]}, "controls": {name: 70, "exposure_ev": 0.3}}
        found[f"{name} in a large picture"] = partial(seen, "large", partial(with_passes, one), window)
    for kind in ("tone", "colour", "near", "edges", "found", "brush"):
        weak = {"threshold": 1} if kind == "edges" else {}
        shown = {"area": {"terms": [term(kind, **weak)], "cling": 30, "soften_px": 8}, "controls": {"exposure_ev": 1}}
        request = replace(window, show="area_alone")
        found[f"{kind} in a large picture"] = partial(seen, "large", partial(with_passes, shown), request)
    tone = {"tone": {"shadows": 60, "highlights": -60}, "definition": {"clarity": 50, "haze": 30}}
    found["tone of a large picture"] = partial(seen, "large", lambda: Recipe.neutral(False).with_values(tone), window)
    return found


def repairs() -> dict[str, Case]:
    """Every kind of repair, as usual and otherwise, whole and reduced."""
    ragged = [stroke((40, 60), (120, 90), (200, 70), size=14, hardness=100), stroke((300, 200), (330, 240), size=40)]
    box = points((250, 60), (330, 70), (320, 140), (255, 130))
    lists: dict[str, list[dict[str, Any]]] = {
        **{kind: [repair] for kind, repair in KINDS.items()},
        "mirrored clone": [{**KINDS["clone"], "mirrored": True, "angle": 20, "strength": 80}],
        "turned heal": [{**KINDS["heal"], "angle": -35}],
        "soft patch": [{**KINDS["patch"], "soften_px": 14, "strength": 65}],
        "flat cover": [{**KINDS["cover"], "grain": False, "strokes": ragged}],
        "ragged removal": [{"kind": "removal", "strokes": ragged}],
        "outlined removal": [{"kind": "removal", "outline": box, "seed": 3, "reach": 60}],
        "a corner": [{"kind": "removal", "strokes": [stroke((5, 5), (60, 8), size=50)]}],
        "one over the other": [KINDS["patch"], {**KINDS["clone"], "dx": -30 / test_repairs.W}, KINDS["spot"], KINDS["heal"]],
    }
    found: dict[str, Case] = {}
    for name, listed in lists.items():
        filled = cache(lambda listed=listed: with_filled(with_repairs(*listed)))
        found[name] = partial(delivered, "slopes", filled)
        found[f"{name}, reduced"] = partial(seen, "slopes", filled, ViewRequest(140, 140, box=True))
        if any(r["kind"] == "removal" for r in listed):
            found[f"{name}, quick"] = partial(seen, "slopes", partial(with_repairs, *listed), ViewRequest(420, 280))
    return found


def drawn_by_lot() -> dict[str, Case]:
    """Recipes with many steps at once, read from the file that an earlier version wrote."""
    found: dict[str, Case] = {}
    for number, line in enumerate(RECIPES.read_text().splitlines()):
        one = json.loads(line)
        recipe = cache(lambda one=one: Recipe.from_document(one["recipe"]))
        name = f"{number} on {one['source']}"
        found[name] = partial(delivered, one["source"], recipe, long_edge=one["long_edge"])
        found[f"{name}, reduced"] = partial(seen, one["source"], recipe, ViewRequest(130, 130, box=True))
    return found
