"""``bench --passes``: what passes cost at fit, at 1:1, while a stroke is painted, and in a delivery."""

import copy
import json
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import simplejpeg

from zincplate.cli.bench import median_ms, ours, write_frame
from zincplate.formats.isolated import Decoder
from zincplate.recipe.document import Recipe
from zincplate.render.render import Renderer
from zincplate.render.view import ViewRequest, fitted

Row = dict[str, float]
AREAS: list[list[dict[str, Any]]] = [
    [{"kind": "ring", "x": 0.3, "y": 0.3, "radius_x": 0.2, "radius_y": 0.15}],
    [{"kind": "band", "x0": 0.5, "y0": 0.0, "x1": 0.5, "y1": 0.3}],
    [{"kind": "brush", "strokes": [{"points": [2000, 4000, 6000, 5000, 9000, 9000, 14000, 8000], "size": 0.08}]}],
    [{"kind": "tone", "low": 60}, {"kind": "ring", "join": "without", "x": 0.7, "y": 0.4, "radius_x": 0.2, "radius_y": 0.2}],
    [{"kind": "near", "x": 0.6, "y": 0.3}],
]
CONTROLS: list[dict[str, Any]] = [
    {"exposure_ev": 0.5},
    {"exposure_ev": -0.4, "warmer_mired": 15},
    {"shadows": 30, "clarity": 20},
    {"contrast": 15, "highlights": -30},
    {"saturation": 20},
]
"""Four of five move light before the tone curve; ten passes run through this list twice."""


def passes(number: int, moved: float = 0.0) -> dict[str, Any]:
    """Values of a recipe with so many passes; ``moved`` changes the exposure of the first."""
    made = []
    for i in range(number):
        controls = dict(CONTROLS[i % len(CONTROLS)])
        if i == 0:
            controls["exposure_ev"] += moved
        made.append({"name": f"pass {i}", "area": {"terms": _area(i)}, "controls": controls})
    return {"passes": {"passes": made}}


def _area(number: int) -> list[dict[str, Any]]:
    """An area of its own for every pass: one of the kinds, elsewhere or of other tones."""
    kind, step = number % len(AREAS), number // len(AREAS)
    terms: list[dict[str, Any]] = copy.deepcopy(AREAS[kind])
    for term in terms:
        for name, by in (("x", 0.05), ("x0", 0.04), ("x1", 0.04), ("low", -6)):
            if name in term:
                term[name] += by * step
        for stroke in term.get("strokes", ()):
            stroke["points"] = [place + 300 * step for place in stroke["points"]]
    return terms


def measure(quick: bool) -> dict[str, Row]:
    """Medians in milliseconds."""
    width, height = (3000, 2000) if quick else (6000, 4000)
    rows: dict[str, Row] = {}
    with tempfile.TemporaryDirectory() as folder:
        path, decoder = write_frame(Path(folder), width, height), Decoder()
        renderer = Renderer(decoder)
        source = renderer.open(path, "bench")
        plain, step = Recipe.neutral(True), [0]

        def view(request: ViewRequest, values: Callable[[float], dict[str, Any]]) -> Callable[[], None]:
            def run() -> None:
                step[0] += 1
                shown = renderer.view(source, "bench", plain.with_values(values(1e-3 * step[0])), request)
                simplejpeg.encode_jpeg(shown.picture, 93, "RGB", "444", fastdct=True)

            return run

        fit = ViewRequest(*fitted(source, 1000, 667))
        window = ViewRequest(source.width, source.height, source.width // 3, source.height // 3, 1000, 700)
        for name, request in (("fit view", fit), ("1:1 window", window)):
            for number in (0, 1, 10, 30):
                ms = median_ms(view(request, lambda moved, n=number: passes(n, moved) if n else _exposed(moved)), runs=11, warm=3)  # type: ignore[misc]
                rows[f"{name}, {number} passes, a gauge moved"] = {"ms": round(ms, 1)}
            ms = median_ms(view(request, _painting), runs=11, warm=3)
            rows[f"{name}, a stroke that grows"] = {"ms": round(ms, 1)}
        without = median_ms(lambda: ours(path, plain, decoder), runs=3, warm=1)
        ten = median_ms(lambda: ours(path, plain.with_values(passes(10)), decoder), runs=3, warm=1)
        rows["delivery without passes"] = {"ms": round(without, 1)}
        rows["delivery with ten passes"] = {"ms": round(ten, 1), "times": round(ten / without, 2)}
    return rows


def _exposed(moved: float) -> dict[str, Any]:
    return {"tone": {"exposure_ev": moved}}


def _painting(moved: float) -> dict[str, Any]:
    """One pass whose stroke gets longer from view to view."""
    points = [2000, 3000, 8000, 5000 + round(1e5 * moved)]
    values = passes(1)
    values["passes"]["passes"][0]["area"] = {"terms": [{"kind": "brush", "strokes": [{"points": points, "size": 0.06}]}]}
    return values


def bench_passes(as_json: bool, quick: bool) -> None:
    """Measures and prints."""
    rows = measure(quick)
    if as_json:
        print(json.dumps(rows, indent=1))
        return
    for name, row in rows.items():
        print(f"{name:46} {row['ms']:8.1f} ms" + (f"  {row['times']} times as long" if "times" in row else ""))
