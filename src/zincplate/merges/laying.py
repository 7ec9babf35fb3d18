"""A frame laid on another of the same subject: by what both show between black and clipped, at reduced size and then by tiles of
the whole pictures; and how much more light one got than the other."""

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.merging.alignment import align, laid_on, rescaled
from zincplate.core.merging.placement import Placement
from zincplate.core.merging.radiance import exposure_ratio
from zincplate.merges.refine import Tiles, refined
from zincplate.merges.view import SHOWN_TO, Opened, View

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

LEAST_MEASURED = 0.0008
"""Of the white level: below, a black level that is off by a fraction of a code counts too much."""
DARKEST_ALIGNED = 3.0
"""Standard deviations of noise below which nothing is aligned by."""
AROUND_PX = 2.0
SURE_TILES, SURE_PX = 12, 0.15
"""As many tiles, lying no further apart in the median, tell a place without the help of a neighbour."""


@dataclass(frozen=True)
class Frame:
    """A frame and what was looked at of it."""

    opened: Opened
    view: View


@dataclass(frozen=True)
class Laid:
    """Where a frame lies."""

    placement: Placement
    residual_px: float
    """Median of what tiles still lie apart; 0 when there were too few."""
    tiles: int
    """That say so."""

    @property
    def sure(self) -> bool:
        """Whether tiles tell it well enough by themselves."""
        return self.tiles >= SURE_TILES and self.residual_px <= SURE_PX

    def tells_more_than(self, other: "Laid | None") -> bool:
        """Whether tiles speak rather for this one."""
        few = other is None or other.tiles < SURE_TILES
        return self.tiles >= SURE_TILES and (few or other is None or self.residual_px < other.residual_px)

    def after(self, first: "Laid") -> "Laid":
        """This frame on the reference that ``first`` lies on, when this one lies on ``first``'s frame."""
        width, height = first.placement.width, first.placement.height
        x, y = (v.ravel() for v in np.meshgrid(np.linspace(0, width - 1, 24), np.linspace(0, height - 1, 16)))
        placement = Placement.through(x, y, *self.placement.at(*first.placement.at(x, y)), width, height)
        return Laid(placement, math.hypot(self.residual_px, first.residual_px), min(self.tiles, first.tiles))


def laid(base: Frame, frame: Frame, ratio: float, tiles: Tiles) -> Laid | None:
    """A frame on another, the light of which it shows ``ratio`` times as bright; None when they do not lie on each other or have
    nothing in common. ``tiles`` keeps those of ``base`` for the next frame."""
    pictures = comparable(base.view, frame.view, ratio)
    aligned = None if pictures is None else align(*pictures)
    if pictures is None or aligned is None:
        return None
    source = frame.opened.source
    matrix = rescaled(aligned.homography, 1 / base.view.step, 1.0, base.view.origin)
    placement, limits = Placement(matrix, source.width, source.height), limits_of(base.view, frame.view, ratio)
    return Laid(*refined(base.opened, frame.opened, placement, pictures[0], base.view, ratio, limits, tiles))


def limits_of(base: View, view: View, ratio: float) -> tuple[float, float]:
    """Light, in the reference's unit, that both can show."""
    lows = [DARKEST_ALIGNED * math.sqrt(v.least_variance) / t for v, t in ((base, 1.0), (view, ratio))]
    tops = [v.top / t for v, t in ((base, 1.0), (view, ratio))]
    clipped = [top for v, top in zip((base, view), tops, strict=True) if v.clipped > 1e-3]
    return max(lows), min(clipped) if clipped else max(tops)


def comparable(base: View, view: View, ratio: float) -> tuple[Float32, Float32] | None:
    """Both as logarithms of light between what both can show; None when that is nothing."""
    low, high = limits_of(base, view, ratio)
    if not low * 2 < high:
        return None
    held = [np.log2(np.clip(v.green / t, low, high)).astype(np.float32) for v, t in ((base, 1.0), (view, ratio))]
    return None if min(p.std() for p in held) < 0.02 else (held[0], held[1])


def by_quantiles(base: View, view: View) -> float:
    """Light of a frame against another where nobody tells: quantiles that neither shows black nor clipped, a first guess."""
    a, b = (np.quantile(v.green, np.linspace(0.05, 0.95, 37)).astype(np.float64) for v in (base, view))
    good = (a > 0.003) & (b > 0.003) & (a < 0.7) & (b < 0.7)
    if good.any():
        return float(np.median(b[good] / a[good]))
    return max(float(np.median(b)), 1e-6) / max(float(np.median(a)), 1e-6)


def read_at(view: View, x: Float32, y: Float32) -> tuple[Float32, Float32]:
    """A view's green light at places of the reference, and how much of what it is made of shows light rightly, 0 beside it."""
    green, inside = laid_on(view.green, x, y)
    shown = cv2.remap(view.shown.astype(np.float32), x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return green, np.asarray(shown * inside, np.float32)


def measured(base: View, view: View, placement: Placement, start: float) -> float:
    """The exposure ratio where both show something well; ``start`` when nothing does."""
    here, shown = read_at(view, *placement.reduced(base.step, base.origin, base.size))
    both = base.calm & (shown > 0.99)
    # enough light in both by what the reference shows around, and noise as that much light has: by what one of the two itself
    # recorded, samples that noise made brighter there, or darker, would be chosen before others
    light = cv2.GaussianBlur(base.green, (0, 0), AROUND_PX)
    variances = base.variance_at(light), view.variance_at(light * np.float32(start))
    enough = np.maximum(8 * np.sqrt(variances[0]), 5 * np.sqrt(variances[1]) / start)
    both &= (light > enough) & (light * start < SHOWN_TO) & (light * start > LEAST_MEASURED)
    found = exposure_ratio(base.green[both], here[both], light[both], variances[0][both], variances[1][both], start)
    return found if math.isfinite(found) and abs(math.log2(found / start)) < 1.5 else start
