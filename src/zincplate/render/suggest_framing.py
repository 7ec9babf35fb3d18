"""Proposals for framing from the lines in the picture, and the movements that follow from drawn lines."""

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.geometry.projective import FramingError
from zincplate.core.geometry.segments import segments_of
from zincplate.core.geometry.straighten import MOST_ROLL, MOST_TILT
from zincplate.core.geometry.vanishing import (
    Direction,
    Scene,
    directions,
    roll_of,
    turns_both,
    turns_level,
    turns_upright,
)
from zincplate.formats.turns import Turn, Urgency
from zincplate.pipeline.framing import Framed
from zincplate.plan.frame import NO_CORNERS
from zincplate.recipe.document import Recipe
from zincplate.render.render import Renderer
from zincplate.render.suggest import Proposal
from zincplate.render.view import ViewRequest
from zincplate.sources.file import Source

LOOKED_AT_PX = 2400
"""Long edge of the picture in which lines are sought."""
UNMOVED = {
    "quarter_turn": "0",
    "mirror": False,
    "angle": 0.0,
    "tilt": 0.0,
    "swing": 0.0,
    "rise": 0.0,
    "shift": 0.0,
    "stretch": 0.0,
    "corners": list(NO_CORNERS),
    "crop_width": 0.0,
    "crop_height": 0.0,
    "ratio": "original",
}
"""Framing that leaves only quarter turns and the lens, from which directions are measured."""
SMALLEST_DEGREES = 0.03


def scene_of(renderer: Renderer, source: Source, key: str, recipe: Recipe) -> tuple[Scene, Framed]:
    """Upright and level direction in the picture as the lens correction and quarter turns leave it."""
    turns = {name: recipe.value("framing", name) for name in ("quarter_turn", "mirror")}
    if not recipe.value("framing", "lens_profile"):
        # lines are measured straight even where the picture is left as the lens drew it
        turns["lens_profile"] = "auto"
    plain = recipe.with_values({"framing": UNMOVED | turns, "finish": {"border_percent": 0, "grain": 0}})
    framed = renderer.framed(source, key, source.plan(plain).frame)
    # everything the picture covers, so that what the crop would leave out takes part
    width, height = framed.source.width, framed.source.height
    scale = min(LOOKED_AT_PX / max(width, height), 1.0)
    plane = (-width / 2, -height / 2, float(width), float(height))
    request = ViewRequest(max(round(width * scale), 1), max(round(height * scale), 1), plane=plane)
    picture = renderer.view(source, key, plain, request, turn=Turn(Urgency.REST)).picture
    grey = cv2.cvtColor(np.ascontiguousarray(picture), cv2.COLOR_RGB2GRAY)
    lines = segments_of(grey) * (width / picture.shape[1]) - np.array([width / 2, height / 2])
    return directions(_of_picture(lines, framed), framed.focal_px, max(width, height)), framed


def _of_picture(lines: NDArray[np.float64], framed: Framed) -> NDArray[np.float64]:
    """Only segments that lie on what the picture covers: its own outline on the plane is no line of the scene."""
    if len(lines) == 0:
        return lines
    source = framed.map.to_source(lines.reshape(-1, 2)).reshape(-1, 2, 2)
    size, edge = np.array([framed.source.width, framed.source.height]), 0.003 * framed.source.width
    return lines[((source > edge) & (source < size - edge)).all((1, 2))]


def suggest_framing(renderer: Renderer, source: Source, key: str, recipe: Recipe) -> list[Proposal]:
    """Level, uprights, horizontals, and both, each only where the picture has reliable lines for it.

    Raises :class:`FramingError` with a sentence when it has none at all.
    """
    scene, _ = scene_of(renderer, source, key, recipe)
    found = []
    if scene.upright is not None:
        found.append(_proposal("Level", "turned", scene.upright, roll=roll_of(scene.upright.vector)))
        roll, tilt = turns_upright(scene.upright.vector)
        found.append(_proposal("Uprights parallel", "turned and tilted", scene.upright, roll=roll, tilt=tilt))
    if scene.level is not None:
        roll, swing = turns_level(scene.level.vector)
        if scene.upright is None:
            found.append(_proposal("Level", "turned", scene.level, roll=roll))
        found.append(_proposal("Horizontals level", "turned and swung", scene.level, roll=roll, swing=swing))
    if scene.upright is not None and scene.level is not None:
        roll, tilt, swing = turns_both(scene.upright.vector, scene.level.vector)
        weaker = min(scene.upright, scene.level, key=lambda d: d.confidence)
        found.append(_proposal("Both", "all three", weaker, roll=roll, tilt=tilt, swing=swing))
    found = [p for p in found if _within(p)]
    if not found:
        raise FramingError(
            "This picture has no lines that are reliably upright or level, so nothing is suggested. Draw a line to straighten it."
        )
    return found


def _within(proposal: Proposal) -> bool:
    values = proposal.values["framing"]
    return abs(values["angle"]) <= MOST_ROLL and max(abs(values["tilt"]), abs(values["swing"])) <= MOST_TILT


def _proposal(
    name: str, summary: str, stands_on: Direction, *, roll: float = 0.0, tilt: float = 0.0, swing: float = 0.0
) -> Proposal:
    sure = stands_on.confidence
    word = "sure" if sure > 0.7 else "fairly sure" if sure > 0.45 else "not very sure"
    reason = (
        f"{stands_on.segments} edges of together {stands_on.length:.1f} picture widths agree within "
        f"{max(stands_on.error_degrees, 0.01):.2f} degrees: {word}."
    )
    angles = {"angle": roll, "tilt": tilt, "swing": swing}
    values = {k: 0.0 if abs(v) < SMALLEST_DEGREES or math.isnan(v) else round(v, 2) for k, v in angles.items()}
    reasons = {f"framing.{k}": reason for k, v in values.items() if v}
    return Proposal(name, f"{summary}; {word}", {"framing": values | {"corners": list(NO_CORNERS)}}, reasons)
