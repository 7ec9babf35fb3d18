"""What is asked for in colour."""

from dataclasses import dataclass

Six = tuple[float, float, float, float, float, float]
NO_SIX: Six = (0.0, 0.0, 0.0, 0.0, 0.0, 0.0)


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


NO_COLOUR = ColourPlan()
"""Nothing is asked for."""
