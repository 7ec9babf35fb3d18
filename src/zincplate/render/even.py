"""Evening out a series: what exposure, and what balance, makes each frame look like the reference.

A neutral surface in the reference's light is followed into each frame by the measured change of recorded RGB; exposure and
balance are chosen so that it comes out as light, and as neutral, as under the reference's own adjustments.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zincplate.core.colour.adaptation import D65_XY, bradford
from zincplate.core.colour.colour_spaces import REC2020, WORKING_LUMINANCE
from zincplate.core.colour.temperature import temperature_and_tint, white_point_xy
from zincplate.render.fit import XY, Link, connected
from zincplate.render.light_plate import LightPlate, Settings

LIMIT_EV = 5.0
"""What the exposure control reaches."""


@dataclass(frozen=True)
class Evened:
    """Values for one frame; None where its light could not be compared (another subject)."""

    exposure_ev: float | None
    temperature_kelvin: float | None
    tint: float | None
    left_over_ev: float
    """What remains after rounding and the control's limits, with the doubt of the measurement."""
    reason: str = ""


def _balance(settings: Settings, white_xy: XY) -> NDArray[np.float64]:
    """(3, 3): recorded RGB -> linear Rec.2020 under a balance, at exposure 0, as the renderer does it."""
    matrices = settings.matrices
    if matrices is not None:
        return matrices.balanced_to_working(white_xy) / matrices.neutral_of(white_xy)
    shift = REC2020.from_xyz @ bradford(white_xy, D65_XY) @ REC2020.to_xyz
    return np.asarray(shift / (WORKING_LUMINANCE @ shift @ np.ones(3)))


def even(
    reference: LightPlate,
    frames: Sequence[LightPlate],
    whites: Sequence[XY],
    *,
    reference_white: XY,
    reference_ev: float = 0.0,
    balance: bool = True,
    links: Sequence[Link] | None = None,
) -> list[Evened]:
    """Values for each frame.

    ``reference_white`` and ``reference_ev`` are the reference's balance (white point) and exposure; ``whites`` the balance each
    frame has now, which stays when ``balance`` is False. ``links`` are those of :func:`~.fit.connected`, where they are known.
    """
    found = []
    for frame, link, white in zip(frames, links or connected(reference, frames), whites, strict=True):
        if not link.measured:
            found.append(Evened(None, None, None, 0.0, "another subject: its light cannot be compared with the reference"))
        else:
            found.append(_evened(reference, frame, link, white, reference_white, reference_ev, balance))
    return found


def _evened(
    reference: LightPlate, frame: LightPlate, link: Link, white: XY, reference_white: XY, reference_ev: float, balance: bool
) -> Evened:
    own = link.own
    kelvin = tint = None
    if balance and own:
        try:
            kelvin, tint = temperature_and_tint(frame.white_after(reference_white, link.log2_rgb, own=True))
        except ValueError:
            return Evened(None, None, None, 0.0, "no light could make this difference of colour")
        kelvin, tint = float(round(kelvin)), round(tint, 1)
        white = white_point_xy(kelvin, tint)
    if own:
        neutral = np.linalg.solve(_balance(reference.settings, reference_white), np.ones(3))
        is_now = float(WORKING_LUMINANCE @ _balance(frame.settings, white) @ (neutral * 2.0 ** np.asarray(link.log2_rgb)))
        change = math.log2(is_now) if is_now > 0 else link.log2_rgb[1]
    else:
        change = link.log2_rgb[1]
    asked = reference_ev - change
    exposure_ev = round(min(max(asked, -LIMIT_EV), LIMIT_EV), 2)
    beyond = "its difference is beyond what the exposure control reaches" if abs(asked) > LIMIT_EV else ""
    return Evened(exposure_ev, kelvin, tint, exposure_ev - asked + link.left_over_ev, beyond)


def middle(plates: Sequence[LightPlate]) -> int:
    """Index of the frame whose lightness lies in the middle: a reference when none is named."""
    levels = [plate.middle_ev for plate in plates]
    return int(np.argsort(levels, kind="stable")[len(levels) // 2])
