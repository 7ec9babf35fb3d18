"""The lens as a DNG file describes it (WarpRectilinear, WarpFisheye, FixVignetteRadial about the middle of the picture).

It is kept with the facts of a frame, and turned into the curve that the one resampling works with.
"""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from zincplate.core.geometry.radial import REACH, LensCurve
from zincplate.formats.dng import opcodes
from zincplate.formats.dng.opcodes import Opcode

Float64 = NDArray[np.float64]
_MEANT_TO = 1.05
"""Radius, in distances to the farthest corner, up to which the polynomials of a file are followed."""


def own_lens(listed: tuple[Opcode, ...], width: int, height: int) -> str:
    """Steps about the middle of an active area of ``width`` x ``height``, as text; empty when there are none."""
    if not listed:
        return ""
    return f"{width}x{height} " + " ".join(f"{o.number}:{o.data.hex()}" for o in listed)


@lru_cache(maxsize=64)
def curve_of(text: str, width: int, height: int) -> LensCurve | None:
    """The curve for a picture of ``width`` x ``height``, from :func:`own_lens`; None when the file describes no lens."""
    if not text:
        return None
    size, *steps = text.split(" ")
    whole_width, whole_height = (int(v) for v in size.split("x"))
    reach = opcodes.centre_and_reach((0.5, 0.5), whole_width, whole_height)[2]
    half = float(np.hypot(width, height)) / 2
    radius = np.arange(int(half * REACH) + 2, dtype=np.float64)
    distorted, red, blue = radius, np.ones_like(radius), np.ones_like(radius)
    before, after = np.ones_like(radius), np.ones_like(radius)
    warped = False
    for step in steps:
        number, _, data = step.partition(":")
        opcode = Opcode(int(number), False, bytes.fromhex(data))
        if opcode.number == opcodes.VIGNETTE:
            gain = opcodes.vignette_of(opcode).gain(np.minimum(radius / reach, 1.0))
            # before the warp the radius is that of the file, after it that of the picture
            before, after = (before, after * gain) if warped else (before * gain, after)
            continue
        warp, warped = opcodes.warp_of(opcode), True
        at = np.minimum(radius / reach, _MEANT_TO)
        green = warp.ratio(at, 1)
        end = _MEANT_TO * np.array([1 - 1e-4, 1.0])
        slope = float(np.diff(end * warp.ratio(end, 1))[0] / np.diff(end)[0])
        # beyond what the file means, straight on: a polynomial would turn back there
        distorted = reach * (at * green + (radius / reach - at) * slope)
        safe = np.where(np.abs(green) > 1e-6, green, 1e-6)
        red = _by_distorted(radius, distorted, warp.ratio(at, 0) / safe)
        blue = _by_distorted(radius, distorted, warp.ratio(at, 2) / safe)
    if warped:
        after = _by_distorted(radius, distorted, after)
    return LensCurve(radius, distorted, red, blue, before * after)


def _by_distorted(radius: Float64, distorted: Float64, values: Float64) -> Float64:
    """Values given by radius in the picture -> by radius in the file."""
    return np.asarray(np.interp(radius, np.maximum.accumulate(distorted), values))
