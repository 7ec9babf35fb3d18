"""What passes ask for: where each acts (in frame coordinates: long edges of the upright picture), and what happens there."""

from dataclasses import dataclass, field, replace
from typing import Any, Literal

from zincplate.plan.colour import NO_COLOUR, ColourPlan

Join = Literal["add", "without", "only"]
Blend = Literal["normal", "lighten", "darken", "multiply", "screen", "overlay", "soft_light", "luminosity", "colour", "sum"]
StrokeTones = Literal["all", "shadows", "midtones", "highlights"]
Points = tuple[tuple[float, float], ...]


class KeepsHash:
    """For long tuples: every look into a cache hashes and compares what is asked for, so the hash is kept, and what is the same
    object is equal at once."""

    _hash: int | None = None

    def __hash__(self) -> int:
        if self._hash is None:
            self._hash = super().__hash__()
        return self._hash

    def __eq__(self, other: object) -> bool:
        return self is other or super().__eq__(other)

    def __ne__(self, other: object) -> bool:
        return not self == other

    def __reduce__(self) -> tuple[Any, ...]:
        # without the hash: that of words differs from process to process
        items: Any = self
        return type(self), (tuple(items),)


class Places(KeepsHash, Points):
    """Places (x, y) of a stroke, in long edges."""


STRAIGHT: Points = ((0.0, 0.0), (1.0, 1.0))
USUAL_PERCENT = 2.7
"""Of the long edge: radius of a region as clarity sees it."""


@dataclass(frozen=True)
class Term:
    """One part of an area, and how it joins those before it."""

    join: Join = "add"
    strength: float = 1.0
    inverted: bool = False


@dataclass(frozen=True)
class Stroke:
    """One movement of a brush."""

    places: Points
    size: float
    """Diameter in long edges."""
    hardness: float
    """Share of the radius inside which the brush acts in full."""
    flow: float
    erase: bool = False
    build_up: bool = False
    """Passing over a place again within the stroke adds to it."""
    near_edges: bool = False
    """Only what looks like the places the brush's middle went over."""
    tones: StrokeTones = "all"
    """Only dark, middle or light places of the frame as it came in."""
    widths: tuple[float, ...] = ()
    """Share of the size at each place; empty: all of it everywhere."""


@dataclass(frozen=True)
class Brush(Term):
    """Painted by hand."""

    strokes: tuple[Stroke, ...] = ()


@dataclass(frozen=True)
class Band(Term):
    """In full on one side of a line, nothing beyond another: a straight gradient from ``full`` to ``none``."""

    full: tuple[float, float] = (0.0, 0.0)
    none: tuple[float, float] = (0.0, 0.0)


@dataclass(frozen=True)
class Ring(Term):
    """In full inside an ellipse, fading to nothing at its edge over ``softness`` of the radius."""

    middle: tuple[float, float] = (0.5, 0.5)
    radius_x: float = 0.25
    radius_y: float = 0.25
    angle_degrees: float = 0.0
    softness: float = 0.5


@dataclass(frozen=True)
class Tone(Term):
    """Lightness of the frame as it came in, 0..1 (Oklab), with soft ends."""

    low: float = 0.0
    high: float = 1.0
    softness: float = 0.1


@dataclass(frozen=True)
class Depth(Term):
    """How far away things are by the file's depth map, 0 nearest to 1 farthest, with soft ends; nowhere without a map."""

    low: float = 0.0
    high: float = 1.0
    softness: float = 0.1


@dataclass(frozen=True)
class Colour(Term):
    """Colours about one (Oklab) of the frame as it came in."""

    a: float = 0.0
    b: float = 0.0
    lightness: float = 0.5
    reach: float = 0.1


@dataclass(frozen=True)
class Near(Term):
    """What looks like a place and lies near it."""

    place: tuple[float, float] = (0.5, 0.5)
    tolerance: float = 0.1
    """Oklab distance at which nothing is left."""
    reach: float = 0.3
    """Long edges at which nothing is left."""


@dataclass(frozen=True)
class Edges(Term):
    """Along edges of the drawing."""

    threshold: float = 0.2
    width_px: float = 3.0


@dataclass(frozen=True)
class Found(Term):
    """Something that was found, as it was found: a small picture of the whole frame, kept with the recipe."""

    what: str = "sky"
    raster: str = ""


class Terms(KeepsHash, tuple[Term, ...]):
    """Parts of an area in their order."""


@dataclass(frozen=True)
class AreaPlan:
    """Terms in order, then what is done to the whole. No terms: everywhere."""

    terms: tuple[Term, ...] = ()
    close_px: float = 0.0
    """Gaps and holes as wide as this, in pixels of the full picture, are closed."""
    smooth_px: float = 0.0
    """Teeth and crumbs of its outline about as large as this, in pixels of the full picture, go."""
    grow_px: float = 0.0
    """Pixels of the full picture; negative shrinks."""
    soften_px: float = 0.0
    """Distance over which an edge runs out, in pixels of the full picture."""
    cling: float = 0.0
    """0..1: how far the area's edges are drawn to those of the picture."""
    inverted: bool = False


@dataclass(frozen=True)
class SceneLight:
    """What a pass does to light before the tone curve; -1..1 but for exposure, warmth and tint."""

    exposure_ev: float = 0.0
    warmer_mired: float = 0.0
    magenta: float = 0.0
    """-1 green to 1 magenta: a third of a stop of green at the end."""
    contrast: float = 0.0
    shadows: float = 0.0
    highlights: float = 0.0
    clarity: float = 0.0
    haze: float = 0.0
    even_colour: float = 0.0
    """0..1: blotches of colour drawn to the colour of their region."""
    even_light: float = 0.0
    """-1..1: blotches of light drawn to the tone of their region, or drawn out."""
    shine: float = 0.0
    """0..1: what shines brought to the tone and colour around it."""
    shine_tone: tuple[float, float, float] | None = None
    """Plate values that it is brought to instead."""
    forms_percent: float = USUAL_PERCENT
    """Size of blotches and shine: radius of their region, of the long edge."""
    glow: float = 0.0
    """0..1: light spread round its sources."""
    glow_percent: float = 3.0
    """How far, of the long edge."""
    noise: float = 0.0
    """0..1: noise calmed."""

    @property
    def of_forms(self) -> bool:
        """Whether forms of a size are evened or covered."""
        return self.even_colour != 0 or self.even_light != 0 or self.shine != 0


@dataclass(frozen=True)
class DisplayLight:
    """What a pass does to finished light."""

    black: float = 0.0
    white: float = 1.0
    middle: float = 1.0
    """Exponent's inverse: above 1 lightens."""
    curve: Points = STRAIGHT
    black_and_white: bool = False
    saturation: float = 0.0
    vibrance: float = 0.0
    hue_degrees: float = 0.0
    tint_hue_degrees: float = 0.0
    tint_strength: float = 0.0
    inks: ColourPlan = NO_COLOUR
    """Ink keys, weights of hues in grey, and toning."""
    sharper: float = 0.0
    """-1..1: sharpening added, or taken away down to a blur."""

    @property
    def laid(self) -> bool:
        """Whether colours are changed; sharpening comes later."""
        return replace(self, sharper=0.0) != DisplayLight()


@dataclass(frozen=True)
class PassPlan:
    """One pass that acts."""

    area: AreaPlan = field(default_factory=AreaPlan)
    strength: float = 1.0
    blend: Blend = "normal"
    scene: SceneLight = field(default_factory=SceneLight)
    display: DisplayLight = field(default_factory=DisplayLight)

    @property
    def in_scene(self) -> bool:
        """Whether it moves light before the tone curve."""
        return self.blend == "normal" and self.scene != SceneLight()

    @property
    def in_display(self) -> bool:
        """Whether it moves finished light."""
        return self.blend != "normal" or self.display.laid

    @property
    def acts(self) -> bool:
        """Whether it does anything at all."""
        return self.in_scene or self.in_display or self.display.sharper != 0

    def everywhere(self) -> "PassPlan":
        """The same without an area of its own."""
        return replace(self, area=AreaPlan())
