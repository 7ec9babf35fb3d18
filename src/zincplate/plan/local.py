"""What is asked for that depends on a pixel's surroundings."""

from dataclasses import dataclass


@dataclass(frozen=True)
class VignettePlan:
    """Light that falls or rises towards the edges of the finished picture."""

    strength_ev: float
    reach: float
    """0..1: distance from the middle (1 in the corners) at which it begins."""
    roundness: float
    """-1 follows the picture's shape, 1 is a circle."""
    softness: float
    spare_highlights: float


@dataclass(frozen=True)
class LocalPlan:
    """Work that depends on a pixel's surroundings, in scene-linear light; -1..1, 0 is neutral."""

    shadows: float = 0.0
    highlights: float = 0.0
    clarity: float = 0.0
    haze: float = 0.0
    vignette: VignettePlan | None = None
