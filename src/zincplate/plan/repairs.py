"""What repairs ask for: where (in frame coordinates: long edges of the upright picture), and what goes there."""

from dataclasses import dataclass
from typing import Literal

from zincplate.plan.passes import Points, Stroke

RepairKind = Literal["spot", "clone", "heal", "patch", "removal", "cover"]


@dataclass(frozen=True)
class RepairPlan:
    """One repair that acts, on linear plates in the geometry of the source."""

    kind: RepairKind
    strokes: tuple[Stroke, ...] = ()
    outline: Points = ()
    """Of a patch, or of a part of a removal."""
    soften_px: float = 0.0
    """Distance over which the border of an outline runs out, in pixels of the full picture."""
    strength: float = 1.0
    away: tuple[float, float] = (0.0, 0.0)
    """From a place to where it is taken from."""
    angle_degrees: float = 0.0
    """By which what is taken is turned clockwise."""
    mirrored: bool = False
    fill: str = ""
    """:meth:`zincplate.core.repair.fill_map.Fill.to_text`; empty when it is still to be found."""
    source_outline: Points = ()
    """In which a removal may take; empty: all about it."""
    seed: int = 0
    reach: float = 1.0
    """How far about a removal is looked, in its own sizes."""
    colour: tuple[float, float, float] = (0.0, 0.0, 0.0)
    """Plate values of a cover."""
    grain: bool = False

    @property
    def heals(self) -> bool:
        """Whether gradients are laid over and not light."""
        return self.kind in ("spot", "heal", "patch")
