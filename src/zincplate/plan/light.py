"""What a recipe asks for, free of its words and ranges: adjustments write into it, the stages read it."""

from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from zincplate.core.colour.adaptation import D65_XY
from zincplate.plan.colour import ColourPlan
from zincplate.plan.finish import FinishPlan
from zincplate.plan.frame import FramePlan
from zincplate.plan.local import LocalPlan
from zincplate.plan.passes import PassPlan
from zincplate.plan.plate import PlatePlan
from zincplate.plan.repairs import RepairPlan

Float = NDArray[np.float64]
Points = tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class LightPlan:
    """Everything; adjustments add to it in order."""

    raw: bool
    """Camera data (True) or a rendered file (False)."""
    as_shot_xy: tuple[float, float] = D65_XY
    white_xy: tuple[float, float] = D65_XY
    """White point of the light that is to look neutral; for rendered files relative to D65."""
    gain: float = 1.0
    """Factor on scene-linear values."""
    primaries: tuple[tuple[float, float], ...] = ()
    """Turn in degrees and relative change of purity of the red, green and blue primary; empty leaves them."""
    tone: tuple[Callable[[Float], Float], ...] = ()
    """Functions on scene-linear values (hue kept), applied in order; the view transform is the last on scene light."""
    soft_gamut: bool = False
    """Colours near the end of the delivery space are compressed, not only those outside."""
    curve_rgb: Points | None = None
    curve_red: Points | None = None
    curve_green: Points | None = None
    curve_blue: Points | None = None
    curve_luminance: Points | None = None
    plate: PlatePlan = field(default_factory=PlatePlan)
    frame: FramePlan = field(default_factory=FramePlan)
    local: LocalPlan = field(default_factory=LocalPlan)
    colour: ColourPlan = field(default_factory=ColourPlan)
    finish: FinishPlan = field(default_factory=FinishPlan)
    repairs: tuple[RepairPlan, ...] = ()
    """In the order in which they are done."""
    passes: tuple[PassPlan, ...] = ()
    """In the order in which they are laid over the picture."""

    def with_tone(self, function: Callable[[Float], Float]) -> "LightPlan":
        """The plan with one more tone function at the end."""
        return replace(self, tone=(*self.tone, function))
