"""``bench --repairs``: what it costs to drag a patch or a clone's source, to heal a spot, and to fill a hole."""

import json
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from zincplate.cli.bench import median_ms, ours, write_frame
from zincplate.core.repair.fill import blended, found
from zincplate.core.repair.healing import healed
from zincplate.core.repair.hurried_fill import hurried
from zincplate.formats.isolated import Decoder
from zincplate.ops.drawn_places import POINT_SCALE
from zincplate.recipe.document import Recipe
from zincplate.render.mending import find_dust
from zincplate.render.render import Renderer
from zincplate.render.view import ViewRequest, fitted

Row = dict[str, float]


def _recipe(width: int, kind: str, size_px: float, moved_px: float) -> dict[str, Any]:
    """One repair in the middle of the frame, its source moved."""
    where = [round(v / width * POINT_SCALE) for v in (0.45 * width, 0.3 * width)]
    away = {"dx": (1.3 * size_px + moved_px) / width, "dy": 0.0}
    if kind == "patch":
        half = round(size_px / 2 / width * POINT_SCALE)
        corners = ((-half, -half), (half, -half), (half, half), (-half, half))
        return {"kind": kind, "outline": [v for x, y in corners for v in (where[0] + x, where[1] + y)], **away}
    return {"kind": kind, "strokes": [{"points": where, "size": size_px / width, "hardness": 70}], **away}


def measure(quick: bool) -> dict[str, Row]:
    """Medians in milliseconds; fills per megapixel of hole as well."""
    width, height = (3000, 2000) if quick else (6000, 4000)
    rows: dict[str, Row] = {}
    rng = np.random.default_rng(1)
    roots = rng.random((3, 400, 400)).astype(np.float32)
    y, x = np.mgrid[:400, :400]
    disc = np.hypot(y - 200, x - 200) < 100
    rows["healing a spot of 200 px"] = {"ms": median_ms(lambda: healed(roots, roots[:, ::-1], disc), runs=9, warm=2)}
    with tempfile.TemporaryDirectory() as folder:
        path, decoder = write_frame(Path(folder), width, height), Decoder()
        renderer = Renderer(decoder)
        source, plain, step = renderer.open(path, "bench"), Recipe.neutral(True), [0]

        def view(request: ViewRequest, kind: str, size_px: float) -> Callable[[], None]:
            def run() -> None:
                step[0] += 1
                values = {"repair": {"repairs": [_recipe(width, kind, size_px, step[0])] if kind else []}}
                exposed = {"tone": {"exposure_ev": 1e-3 * step[0]}} if not kind else {}
                renderer.view(source, "bench", plain.with_values({**values, **exposed}), request)

            return run

        fit = ViewRequest(*fitted(source, 1000, 667), quick=True, clipping=False)
        at = (int(0.45 * width) - 500, int(0.3 * width) - 350)
        window = ViewRequest(source.width, source.height, *at, 1000, 700, quick=True, clipping=False)
        for name, request in (("fit view", fit), ("1:1 window", window)):
            for words, kind, size_px in (
                ("an exposure moved", "", 0.0),
                ("a heal of 200 px moved", "heal", 200.0),
                ("a clone of 500 px moved", "clone", 500.0),
                ("a patch of 600 px moved", "patch", 600.0),
            ):
                rows[f"{name}, {words}"] = {"ms": median_ms(view(request, kind, size_px), runs=11, warm=3)}
        rows["looking for dust"] = {"ms": median_ms(lambda: _dust(renderer, source, plain), runs=3, warm=1)}
        many = {"repair": {"repairs": [_recipe(width, "heal", 60, 40 * i) for i in range(20)]}}
        without = median_ms(lambda: ours(path, plain, decoder), runs=3, warm=1)
        twenty = median_ms(lambda: ours(path, plain.with_values(many), decoder), runs=3, warm=1)
        rows["delivery with twenty heals"] = {"ms": twenty, "times": round(twenty / without, 2)}
        for side in (200, 600, 1000):
            planes = np.sqrt(np.maximum(source.window(0, 0, min(3 * side, width), min(2 * side, height)), 0))
            hole = np.zeros(planes.shape[1:], np.bool_)
            hole[side // 2 : side + side // 2, side : 2 * side] = True
            for words, hurried in (("a quick fill", True), ("a fill", False)):
                ms = median_ms(lambda p=planes, h=hole, q=hurried: _fill(p, h, q), runs=3, warm=1)  # type: ignore[misc]
                rows[f"{words} of {side} x {side} px"] = {
                    "ms": ms,
                    "seconds per megapixel": round(ms / 1e3 / (side / 1000) ** 2, 2),
                }
    return {name: {key: round(value, 2) for key, value in row.items()} for name, row in rows.items()}


def _dust(renderer: Renderer, source: Any, recipe: Recipe) -> None:
    try:
        find_dust(renderer, source, "bench", recipe)
    except ValueError:
        return  # none is found: the look took as long


def _fill(roots: Any, hole: Any, quick: bool) -> None:
    if quick:
        hurried(roots, hole, ~hole, 0)
    else:
        blended(roots, hole, found(roots, hole, ~hole))


def bench_repairs(as_json: bool, quick: bool) -> None:
    """Measures and prints."""
    rows = measure(quick)
    if as_json:
        print(json.dumps(rows, indent=1))
        return
    for name, row in rows.items():
        more = "".join(f"  {value} {key}" for key, value in row.items() if key != "ms")
        print(f"{name:46} {row['ms']:8.1f} ms{more}")
