"""What a lens does along the radius: distortion, lateral colour and fall-off as one table over the undistorted radius.

Lens profiles and corrections by hand are brought into the same form, so that the resampling knows tables only. Radii are
in pixels of the full-size picture from its middle; ``rho`` is a radius in halves of the diagonal (1 in the corners).
By hand, distortion is the radial part of Brown and Conrady's model (Brown 1971, "Close-range camera calibration"):
r_d = r_u (1 + k1 rho^2 + k2 rho^4).
"""

from dataclasses import dataclass
from functools import cached_property
from hashlib import blake2b

import numpy as np
from numpy.typing import NDArray

Float64 = NDArray[np.float64]

STEPS = 4096
REACH = 2.2
"""Tables go to this many halves of the diagonal."""
LEAST_SLOPE = 0.2
"""d r_d / d r_u below this inside the picture is no lens but absurd data."""


class LensDataError(ValueError):
    """Lens data that describe no lens; the message is a sentence."""


@dataclass(frozen=True)
class LensCurve:
    """One source of correction, sampled at radii: what to do with light that an ideal lens would bring to ``radius_px``."""

    radius_px: Float64
    """(n,) ascending from 0."""
    distorted_px: Float64
    """(n,) where it is in the file (green)."""
    red: Float64
    """(n,) scale of the radius of red against green, by distorted radius ``radius_px``."""
    blue: Float64
    gain: Float64
    """(n,) factor that makes up for the fall-off, by distorted radius ``radius_px``."""


@dataclass(frozen=True)
class ByHand:
    """Correction without a profile."""

    k1: float = 0.0
    k2: float = 0.0
    red: float = 0.0
    """Relative change of the radius of red, e.g. 0.001."""
    blue: float = 0.0
    corner_ev: float = 0.0
    """Light added in the corners."""
    corner_power: float = 2.0
    """How it grows with the radius: rho ** power."""


@dataclass(frozen=True, eq=False)
class Radial:
    """Composed correction of one picture. Beyond the table's end scale and gain stay as they are there."""

    step_px: float
    scales: Float64
    """(3, STEPS + 1) distorted / undistorted radius for red, green, blue."""
    gain: Float64
    """(STEPS + 1,)"""

    @cached_property
    def moves(self) -> bool:
        """Whether places change at all."""
        return bool(np.abs(self.scales - 1).max() > 1e-9)

    @cached_property
    def shared(self) -> bool:
        """Whether all three colours go the same way."""
        return bool(np.ptp(self.scales, axis=0).max() < 1e-9)

    @cached_property
    def alike(self) -> "Radial":
        """The same where red and blue are already where green is."""
        return Radial(self.step_px, np.repeat(self.scales[1:2], 3, 0), self.gain)

    @cached_property
    def key(self) -> bytes:
        """Short digest of everything, for caches: data of a lens can change under its name."""
        return blake2b(self.scales.tobytes() + self.gain.tobytes(), digest_size=12).digest()

    @cached_property
    def lights(self) -> bool:
        """Whether light changes at all."""
        return bool(np.abs(self.gain - 1).max() > 1e-9)

    @cached_property
    def table(self) -> NDArray[np.float32]:
        """Flat (STEPS + 2) x 4 float32 for the kernels."""
        rows = np.concatenate([self.scales, self.gain[None]]).T
        return np.ascontiguousarray(np.concatenate([rows, rows[-1:]]), np.float32).reshape(-1)

    def _radii(self) -> Float64:
        return np.asarray(np.arange(self.scales.shape[1]) * self.step_px, np.float64)

    def scale_at(self, radius_px: Float64, channel: int = 1) -> Float64:
        """Distorted over undistorted radius."""
        return np.asarray(np.interp(radius_px, self._radii(), self.scales[channel]))

    def gain_at(self, radius_px: Float64) -> Float64:
        """Factor on light at an undistorted radius."""
        return np.asarray(np.interp(radius_px, self._radii(), self.gain))

    def undistorted(self, distorted_px: Float64, channel: int = 1) -> Float64:
        """Radius without the lens's faults for one in the file."""
        radii = self._radii()
        distorted = radii * self.scales[channel]
        found = np.interp(distorted_px, distorted, radii)
        beyond = np.asarray(distorted_px) > distorted[-1]
        return np.asarray(np.where(beyond, np.asarray(distorted_px) / self.scales[channel, -1], found), np.float64)


def _only_outwards(radius: Float64, distorted: Float64, half_diagonal_px: float) -> Float64:
    """The curve goes on straight where, beyond the picture's corners, it would turn back; refuses one that does so inside."""
    slope = np.asarray(np.gradient(distorted, radius), np.float64)
    bad = np.flatnonzero(slope < LEAST_SLOPE)
    if len(bad) == 0:
        return distorted
    first = int(bad[0])
    if distorted[first] < half_diagonal_px * 1.001:
        raise LensDataError("This lens data folds the picture over itself. Take a smaller correction.")
    first = max(first - 1, 1)
    out = distorted.copy()
    out[first:] = distorted[first] + max(slope[first], LEAST_SLOPE) * (radius[first:] - radius[first])
    return out


def compose(
    half_diagonal_px: float,
    profile: LensCurve | None = None,
    strengths: tuple[float, float, float] = (1.0, 1.0, 1.0),
    by_hand: ByHand | None = None,
) -> Radial:
    """Correction by profile (distortion, lateral colour, fall-off each with a strength) and by hand together.

    Raises :class:`LensDataError` when the result is no lens.
    """
    hand = by_hand or ByHand()
    step = half_diagonal_px * REACH / STEPS
    radius = np.asarray(np.arange(STEPS + 1) * step, np.float64)
    rho: Float64 = radius / half_diagonal_px
    with np.errstate(over="ignore", invalid="ignore"):
        distorted = _only_outwards(radius, radius * (1 + hand.k1 * rho**2 + hand.k2 * rho**4), half_diagonal_px)
    distortion, lateral, light = strengths
    if profile is not None and distortion:
        curve = _only_outwards(profile.radius_px, profile.distorted_px, half_diagonal_px)
        distorted = distorted + distortion * (_extended(distorted, profile.radius_px, curve) - distorted)
        distorted = _only_outwards(radius, distorted, half_diagonal_px)
    rho_d = np.minimum(distorted / half_diagonal_px, 1.0)
    red, blue = np.full(STEPS + 1, 1 + hand.red), np.full(STEPS + 1, 1 + hand.blue)
    with np.errstate(over="ignore", invalid="ignore"):
        gain = 2.0 ** (hand.corner_ev * rho_d**hand.corner_power)
    if profile is not None:
        at = np.minimum(distorted, half_diagonal_px)
        red = red * (1 + lateral * (np.interp(at, profile.radius_px, profile.red) - 1))
        blue = blue * (1 + lateral * (np.interp(at, profile.radius_px, profile.blue) - 1))
        gain = gain * np.interp(at, profile.radius_px, profile.gain) ** light
    scales = np.ones((3, STEPS + 1))
    scales[1, 1:] = distorted[1:] / radius[1:]
    scales[1, 0] = 2 * scales[1, 1] - scales[1, 2]
    scales[0], scales[2] = scales[1] * red, scales[1] * blue
    if not (np.isfinite(scales).all() and np.isfinite(gain).all() and gain.min() > 0.05 and gain.max() < 64):
        raise LensDataError("This lens data gives no usable correction.")
    return Radial(step, scales, gain)


def _extended(at: Float64, radius: Float64, values: Float64) -> Float64:
    """Linear interpolation, going on straight beyond the end."""
    found = np.interp(at, radius, values)
    slope = (values[-1] - values[-2]) / (radius[-1] - radius[-2])
    return np.asarray(np.where(at > radius[-1], values[-1] + (at - radius[-1]) * slope, found))
