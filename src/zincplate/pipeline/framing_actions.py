"""What the tools of the framing step do to a recipe: each returns the controls it sets (step -> control -> value)."""

import math
from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zincplate.core.geometry.projective import FramingError, angles_of, apply, rotation
from zincplate.core.geometry.straighten import Along, Turns, bend_of_lines, turns_of_lines
from zincplate.ops.framing.crop import LEAST
from zincplate.pipeline.framing import Framed
from zincplate.plan.frame import NO_CORNERS
from zincplate.recipe.document import Recipe

Values = dict[str, dict[str, Any]]
Point = tuple[float, float]
QUARTER = np.array([[0.0, -1.0, 0.0], [1.0, 0.0, 0.0], [0.0, 0.0, 1.0]])
"""A quarter turn clockwise (x right, y down)."""


def _all(recipe: Recipe) -> dict[str, Any]:
    found: dict[str, Any] = recipe.to_document()["framing"]
    return found


def turn_quarter(recipe: Recipe, clockwise: bool) -> Values:
    """The finished picture turned by a quarter: movements, corners, crop and guides turn with it."""
    old = _all(recipe)
    new: dict[str, Any] = {}
    sign = 1 if clockwise else -1
    quarter = QUARTER if clockwise else QUARTER.T
    step = -sign if old["mirror"] else sign
    new["quarter_turn"] = str((int(old["quarter_turn"]) + 90 * step) % 360)
    roll, tilt, swing = angles_of(quarter @ rotation(old["angle"], old["tilt"], old["swing"]) @ quarter.T)
    new |= {"angle": round(roll, 2), "tilt": round(tilt, 2), "swing": round(swing, 2), "stretch": -old["stretch"]}
    new |= {"shift": sign * old["rise"], "rise": -sign * old["shift"]}
    pulls = np.reshape(old["corners"], (4, 2))
    turned = pulls @ quarter[:2, :2].T
    new["corners"] = (np.roll(turned, sign, 0) + 0.0).ravel().tolist()
    new |= {"crop_width": old["crop_height"], "crop_height": old["crop_width"]}
    if ":" in old["ratio"]:
        new["ratio"] = ":".join(reversed(old["ratio"].split(":")))
    new["guides"] = [_turned_guide(guide, clockwise) for guide in old["guides"]]
    other = {"level": "plumb", "plumb": "level"}
    new["drawn_lines"] = [line | {"along": other[line["along"]]} for line in old["drawn_lines"]]
    return {"framing": new}


def _turned_guide(guide: dict[str, Any], clockwise: bool) -> dict[str, Any]:
    upright, percent = guide["across"] == "upright", guide["percent"]
    if upright != clockwise:
        percent = 100 - percent
    return {**guide, "across": "level" if upright else "upright", "percent": percent}


def mirror(recipe: Recipe) -> Values:
    """Left and right of the finished picture change places."""
    old = _all(recipe)
    pulls = np.reshape(old["corners"], (4, 2))[[1, 0, 3, 2]] * [-1, 1]
    guides = [g | {"percent": 100 - g["percent"]} if g["across"] == "upright" else g for g in old["guides"]]
    return {
        "framing": {
            "mirror": not old["mirror"],
            "angle": -old["angle"],
            "swing": -old["swing"],
            "shift": -old["shift"],
            "corners": (pulls + 0.0).ravel().tolist(),
            "guides": guides,
        }
    }


def to_frame(framed: Framed, plane: Sequence[Point]) -> NDArray[np.float64]:
    """Places of the plane (as the page draws them) -> frame coordinates; raises :class:`FramingError` outside of sight."""
    points = np.asarray(plane, np.float64).reshape(-1, 2) - np.array([framed.left, framed.top])
    found = framed.to_frame(points)
    if not np.isfinite(found).all():
        raise FramingError("That place lies beyond the horizon of the picture.")
    return found


def lines(recipe: Recipe, framed: Framed, drawn: Sequence[tuple[str, Along, Point, Point]]) -> tuple[Values, Turns]:
    """Movements that make drawn lines (id, level or plumb, two ends in frame coordinates) so; the lines are kept so that they can
    be moved."""
    if not drawn:
        return {"framing": {"drawn_lines": []}}, Turns(0, 0, 0, 0)
    ends = np.array([[a, b] for _, _, a, b in drawn], np.float64).reshape(-1, 2)
    picture = _undistorted(framed, ends).reshape(-1, 2, 2)
    along = tuple(kind for _, kind, _, _ in drawn)
    long_edge = max(framed.source.width, framed.source.height)
    turns = turns_of_lines(picture, along, framed.focal_px, long_edge)
    kept = [
        {"id": name, "along": kind, "x0": round(a[0], 6), "y0": round(a[1], 6), "x1": round(b[0], 6), "y1": round(b[1], 6)}
        for name, kind, a, b in drawn
    ]
    values = {"angle": round(turns.roll, 2), "drawn_lines": kept, "corners": list(NO_CORNERS)}
    if len(drawn) > 1:
        values |= {"tilt": round(turns.tilt, 2), "swing": round(turns.swing, 2)}
    elif recipe.value("framing", "tilt") or recipe.value("framing", "swing") or any(recipe.value("framing", "corners")):
        # one line under movements that stay: the roll that sets it right as it is seen now
        values = {"angle": _roll_as_seen(recipe, framed, ends, along[0]), "drawn_lines": kept}
    return {"framing": values}, turns


def _roll_as_seen(recipe: Recipe, framed: Framed, ends: NDArray[np.float64], along: Along) -> float:
    seen = framed.map.to_plane(framed.source_of_frame(ends))
    stretch = 2.0 ** (framed.plan.stretch / 2)
    dx, dy = (float(v) for v in (seen[1] - seen[0]) * [stretch, 1 / stretch])
    angle = math.degrees(math.atan2(dy, dx)) - (90 if along == "plumb" else 0)
    angle = (angle + 90) % 180 - 90
    roll = recipe.value("framing", "angle") - angle
    if abs(roll) > 45:
        raise FramingError("This line asks for more than 45 degrees. Use a quarter turn first.")
    return round(roll, 2)


def _undistorted(framed: Framed, frame: NDArray[np.float64]) -> NDArray[np.float64]:
    """Frame coordinates -> pixels of the undistorted picture from its middle."""
    return apply(framed.map.inverse, framed.map.to_plane(framed.source_of_frame(frame)))


def bent(framed: Framed, drawn: Sequence[tuple[str, Sequence[Point]]]) -> Values:
    """Distortion by hand that makes drawn edges (id, points in frame coordinates) straight. Replaces a profile's distortion."""
    if not drawn:
        return {"framing": {"bent_lines": [], "bend": 0.0, "bend_edge": 0.0}}
    width, height = framed.unturned
    size = np.array([width, height], np.float64)
    picture = [np.asarray(line, np.float64) * max(width, height) - size / 2 for _, line in drawn]
    k1, k2 = bend_of_lines(tuple(picture), math.hypot(width, height) / 2)
    kept = [{"id": name, "points": [[round(x, 6), round(y, 6)] for x, y in line]} for name, line in drawn]
    values = {"bend": round(100 * k1, 2), "bend_edge": round(100 * k2, 2), "bent_lines": kept}
    return {"framing": values | ({"distortion": 0.0} if framed.profile else {})}


def crop(framed: Framed, left: float, top: float, width: float, height: float, ratio: str) -> Values:
    """A crop drawn on the plane (plane pixels)."""
    long_edge = max(framed.source.width, framed.source.height)
    if not (width >= LEAST * long_edge and height >= LEAST * long_edge):
        raise FramingError("This crop is too small to be a picture. Draw it larger.")
    move_x, move_y = framed.plan.moved_by(long_edge)
    middle = to_frame(framed, [(left + width / 2 - move_x, top + height / 2 - move_y)])[0]
    return {
        "framing": {
            "crop_x": round(float(middle[0]), 6),
            "crop_y": round(float(middle[1]), 6),
            "crop_width": round(width / long_edge, 6),
            "crop_height": round(height / long_edge, 6),
            "ratio": ratio,
        }
    }


def on_plane(framed: Framed, frame: Sequence[Point]) -> list[list[float]]:
    """Frame coordinates -> plane pixels, for drawing."""
    if not frame:
        return []
    places = framed.map.to_plane(framed.source_of_frame(np.asarray(frame, np.float64)))
    found: list[list[float]] = np.nan_to_num(places, nan=1e6).round(2).tolist()
    return found
