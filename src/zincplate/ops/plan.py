"""What a recipe asks of the engine, free of its words and ranges: adjustments write into it, the engine reads it."""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from zincplate.core.adaptation import D65_XY
from zincplate.core.radial import ByHand

Float = NDArray[np.float64]
Points = tuple[tuple[float, float], ...]
Six = tuple[float, float, float, float, float, float]
NO_SIX: Six = (0.0, 0.0, 0.0, 0.0, 0.0, 0.0)
Recovery = Literal["clip", "neutral", "rebuild"]


@dataclass(frozen=True)
class PlatePlan:
    """Work on linear camera (or file) values in sensor geometry."""

    recovery: Recovery = "neutral"
    """What becomes of places where the sensor was at its end."""
    luminance_noise: float = 0.0
    """Strength 0..1 of noise reduction on lightness, where 1 takes what is within three standard deviations."""
    colour_noise: float = 0.0
    """The same on colour differences."""
    best_noise: bool = False
    """Deliveries use the slow learned denoiser."""
    hot_pixels: bool = False
    """Replace single sites that stand out of their neighbourhood."""


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


@dataclass(frozen=True)
class PickedKey:
    """A colour of the picture with a reach of its own: Oklab centre, and what happens there."""

    lightness: float
    a: float
    b: float
    reach: float
    """Oklab distance at which the effect ends."""
    hue_degrees: float = 0.0
    saturation: float = 0.0
    lift: float = 0.0
    grey_weight: float = 0.0


@dataclass(frozen=True)
class ToningPlan:
    """Colour added by tone: hue in degrees and strength 0..1 for shadows, midtones, highlights; balance -1..1."""

    shadows: tuple[float, float]
    midtones: tuple[float, float]
    highlights: tuple[float, float]
    balance: float


@dataclass(frozen=True)
class ColourPlan:
    """Perceptual colour work in display light; -1..1, 0 is neutral."""

    vibrance: float = 0.0
    saturation: float = 0.0
    hue: Six = NO_SIX
    key_saturation: Six = NO_SIX
    lightness: Six = NO_SIX
    picked: tuple[PickedKey, ...] = ()
    toning: ToningPlan | None = None
    grey_weights: Six | None = None
    """Black and white with these weights of the six keys; None keeps colour."""


@dataclass(frozen=True)
class FinishPlan:
    """Work on the encoded picture at its delivered size."""

    sharpen_amount: float = 0.0
    """1 adds the whole difference to the blurred picture."""
    sharpen_radius_px: float = 1.0
    sharpen_threshold: float = 0.0
    """Encoded difference (0..1) below which nothing is sharpened."""
    sharpen_edges: float = 0.0
    """0 sharpens everything, 1 only along edges."""
    grain_amount: float = 0.0
    """Standard deviation in encoded values at middle grey."""
    grain_size_px: float = 1.5
    """Size at 6,000 pixels along the long edge; it goes with the picture, not with the pixels."""
    border_share: float = 0.0
    """Of the short edge."""
    border_grey: float = 1.0


@dataclass(frozen=True)
class LensPlan:
    """Correction of what the lens did."""

    profile: str = ""
    """Empty: none; ``auto``: the one that fits camera and lens; else the name of one."""
    own: bool = True
    """Whether the file's own description of its lens is used where no other profile is named."""
    distortion: float = 1.0
    """Share of the profile's correction that is applied, for distortion, lateral colour and fall-off."""
    lateral: float = 1.0
    fall_off: float = 1.0
    by_hand: ByHand = field(default_factory=ByHand)


@dataclass(frozen=True)
class CropPlan:
    """Where the finished picture lies: middle in frame coordinates, size on the corrected plane, both in long edges."""

    middle: tuple[float, float] | None = None
    """None: the largest that fits."""
    width: float = 0.0
    height: float = 0.0
    ratio: float | None = None
    """Width to height of a crop that was not drawn; None is the picture's own."""
    keep_inside: bool = True
    mirrored: bool = False
    """Beyond the picture: its mirror image or its edge drawn out."""


NO_CORNERS = (0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0)


@dataclass(frozen=True)
class FramePlan:
    """The frame stage: everything that moves pixels. Angles in degrees."""

    quarter_turns: int = 0
    """Clockwise, 0..3."""
    mirror: bool = False
    roll_degrees: float = 0.0
    tilt_degrees: float = 0.0
    swing_degrees: float = 0.0
    rise: float = 0.0
    """Of the long edge, up; ``shift`` to the right."""
    shift: float = 0.0
    stretch: float = 0.0
    """Binary logarithm of height against width."""
    corners: tuple[float, ...] = NO_CORNERS
    """x and y by which the corners are pulled, from the upper left clockwise, of the long edge."""
    lens: LensPlan = field(default_factory=LensPlan)
    crop: CropPlan = field(default_factory=CropPlan)


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

    def with_tone(self, function: Callable[[Float], Float]) -> "LightPlan":
        """The plan with one more tone function at the end."""
        return replace(self, tone=(*self.tone, function))
