"""Where a pass acts: terms joined in order, and what is done to the whole.

Places are in frame coordinates (long edges of the upright, unturned, uncorrected picture), so that an area stays on its subject
whatever framing does. What is measured on the picture is measured on the frame as it came in.
"""

from typing import Annotated, Any, Literal, Self

from pydantic import AfterValidator, Field, model_validator

from zincplate.core.areas.raster import from_text
from zincplate.ops.base import Parameters, gauge
from zincplate.ops.drawn_places import MOST_NUMBERS, Number, places_of, unless_checked
from zincplate.ops.items import WITH_IDS, Item
from zincplate.plan import passes as plan

Place = Annotated[float, Field(ge=-2, le=3, allow_inf_nan=False)]
Percent = Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)]
Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
FoundKind = Literal["sky", "land", "person", "faces", "skin", "subject"]
"""What can be looked for."""


Width = Annotated[int, Field(ge=1, le=100)]
"""Percent of a stroke's size at one of its places: a pen was pressed so hard there."""


class Stroke(Item):
    """One movement of the brush. ``points`` are x and y in turn, in 20,000ths of the long edge; without ``widths`` it is as
    wide everywhere."""

    points: Annotated[tuple[Number, ...], Field(min_length=2, max_length=MOST_NUMBERS), unless_checked(2, MOST_NUMBERS)]
    size: Annotated[float, Field(gt=0.0001, le=2, allow_inf_nan=False)]
    hardness: Percent = 50
    flow: Annotated[float, Field(ge=1, le=100, allow_inf_nan=False)] = 100
    erase: bool = False
    build_up: bool = False
    near_edges: bool = False
    tones: Literal["all", "shadows", "midtones", "highlights"] = "all"
    widths: Annotated[tuple[Width, ...], Field(max_length=MOST_NUMBERS // 2)] = ()

    @model_validator(mode="after")
    def _one_width_each(self) -> Self:
        if self.widths and len(self.widths) != len(self.points) // 2:
            raise ValueError("a stroke has as many widths as places, or none")
        return self

    def planned(self) -> plan.Stroke:
        """In the engine's units."""
        return plan.Stroke(
            places_of(self.points),
            self.size,
            self.hardness / 100,
            self.flow / 100,
            self.erase,
            self.build_up,
            self.near_edges,
            self.tones,
            tuple(w / 100 for w in self.widths),
        )


class _Term(Item):
    join: Literal["add", "without", "only"] = "add"
    strength: Percent = 100
    inverted: bool = False

    def _common(self) -> dict[str, Any]:
        return {"join": self.join, "strength": self.strength / 100, "inverted": self.inverted}


class Brush(_Term):
    """Painted."""

    kind: Literal["brush"] = "brush"
    strokes: Annotated[tuple[Stroke, ...], WITH_IDS, Field(max_length=400)] = ()

    def planned(self) -> plan.Term:
        """In the engine's units."""
        return plan.Brush(**self._common(), strokes=tuple(s.planned() for s in self.strokes))


class Band(_Term):
    """A straight gradient: in full before (``x0``, ``y0``), nothing beyond (``x1``, ``y1``)."""

    kind: Literal["band"] = "band"
    x0: Place
    y0: Place
    x1: Place
    y1: Place

    def planned(self) -> plan.Term:
        """In the engine's units."""
        return plan.Band(**self._common(), full=(self.x0, self.y0), none=(self.x1, self.y1))


class Ring(_Term):
    """An ellipse, in full inside."""

    kind: Literal["ring"] = "ring"
    x: Place
    y: Place
    radius_x: Annotated[float, Field(gt=0.0005, le=4, allow_inf_nan=False)]
    radius_y: Annotated[float, Field(gt=0.0005, le=4, allow_inf_nan=False)]
    softness: float = gauge(
        "Softness", neutral=50, low=0, high=100, step=1, unit="%", help="Over how much of its radius it runs out."
    )
    angle: float = gauge("Angle", neutral=0, low=-180, high=180, step=1, unit="°", help="How far it is turned.")

    def planned(self) -> plan.Term:
        """In the engine's units."""
        return plan.Ring(
            **self._common(),
            middle=(self.x, self.y),
            radius_x=self.radius_x,
            radius_y=self.radius_y,
            angle_degrees=self.angle,
            softness=self.softness / 100,
        )


class Tone(_Term):
    """A range of lightness of the frame as it came in, in percent."""

    kind: Literal["tone"] = "tone"
    low: float = gauge(
        "From", neutral=0, low=0, high=100, step=1, unit="%", help="Darkest lightness, of the frame as it came in."
    )
    high: float = gauge(
        "To", neutral=100, low=0, high=100, step=1, unit="%", help="Lightest lightness, of the frame as it came in."
    )
    softness: float = gauge(
        "Softness", neutral=10, low=0, high=50, step=1, unit="%", help="Over how much lightness its ends run out."
    )

    def planned(self) -> plan.Term:
        """In the engine's units."""
        low, high = sorted((self.low, self.high))
        return plan.Tone(**self._common(), low=low / 100, high=high / 100, softness=self.softness / 100)


class Depth(_Term):
    """A range of the file's depth map, in percent from the nearest to the farthest."""

    kind: Literal["depth"] = "depth"
    low: float = gauge(
        "From", neutral=0, low=0, high=100, step=1, unit="%", help="Nearest place: 0 is the nearest that the depth map shows."
    )
    high: float = gauge(
        "To", neutral=100, low=0, high=100, step=1, unit="%", help="Farthest place: 100 is the farthest that the depth map shows."
    )
    softness: float = gauge(
        "Softness", neutral=10, low=0, high=50, step=1, unit="%", help="Over how much depth its ends run out."
    )

    def planned(self) -> plan.Term:
        """In the engine's units."""
        low, high = sorted((self.low, self.high))
        return plan.Depth(**self._common(), low=low / 100, high=high / 100, softness=self.softness / 100)


class Colour(_Term):
    """Colours about one that was picked."""

    kind: Literal["colour"] = "colour"
    lightness: Share
    a: Annotated[float, Field(ge=-0.5, le=0.5, allow_inf_nan=False)]
    b: Annotated[float, Field(ge=-0.5, le=0.5, allow_inf_nan=False)]
    reach: float = gauge("Reach", neutral=30, low=1, high=100, step=1, unit="%", help="How different a colour may be.")

    def planned(self) -> plan.Term:
        """In the engine's units."""
        return plan.Colour(**self._common(), a=self.a, b=self.b, lightness=self.lightness, reach=0.004 * self.reach)


class Near(_Term):
    """What looks like a place and lies near it."""

    kind: Literal["near"] = "near"
    x: Place
    y: Place
    tolerance: float = gauge("Likeness", neutral=30, low=1, high=100, step=1, unit="%", help="How different a place may look.")
    reach: float = gauge("Reach", neutral=25, low=1, high=200, step=1, unit="%", help="How far away it may be, of the long edge.")

    def planned(self) -> plan.Term:
        """In the engine's units."""
        return plan.Near(**self._common(), place=(self.x, self.y), tolerance=0.004 * self.tolerance, reach=self.reach / 100)


class Edges(_Term):
    """Along edges of the drawing."""

    kind: Literal["edges"] = "edges"
    threshold: float = gauge("Strength", neutral=20, low=1, high=100, step=1, unit="%", help="How strong an edge has to be.")
    width_px: float = gauge("Width", neutral=6, low=1, high=60, step=1, unit="px", help="Of the full picture.")

    def planned(self) -> plan.Term:
        """In the engine's units."""
        return plan.Edges(**self._common(), threshold=self.threshold / 100, width_px=self.width_px)


def _readable(text: str) -> str:
    from_text(text)
    return text


class Found(_Term):
    """Something that was found, kept as it was found: a small grey picture of the whole frame."""

    kind: Literal["found"] = "found"
    what: FoundKind
    sure: Percent = 100
    raster: Annotated[str, Field(max_length=200_000), AfterValidator(_readable)]

    def planned(self) -> plan.Term:
        """In the engine's units."""
        return plan.Found(**self._common(), what=self.what, raster=self.raster)


AnyTerm = Annotated[Brush | Band | Ring | Tone | Depth | Colour | Near | Edges | Found, Field(discriminator="kind")]


SHAPE = ("close_px", "smooth_px", "grow_px", "soften_px", "cling")
"""What is done to the edge of a whole area."""


class Area(Parameters):
    """Terms in order, and what is done to the whole; without terms everywhere."""

    terms: Annotated[tuple[AnyTerm, ...], WITH_IDS, Field(max_length=24)] = ()
    inverted: bool = False
    close_px: Annotated[float, Field(ge=0, le=200, allow_inf_nan=False)] = 0
    smooth_px: Annotated[float, Field(ge=0, le=200, allow_inf_nan=False)] = 0
    grow_px: Annotated[float, Field(ge=-200, le=200, allow_inf_nan=False)] = 0
    soften_px: Annotated[float, Field(ge=0, le=400, allow_inf_nan=False)] = 0
    cling: Percent = 0

    def planned(self) -> plan.AreaPlan:
        """In the engine's units."""
        terms = plan.Terms(t.planned() for t in self.terms)
        return plan.AreaPlan(terms, self.close_px, self.smooth_px, self.grow_px, self.soften_px, self.cling / 100, self.inverted)
