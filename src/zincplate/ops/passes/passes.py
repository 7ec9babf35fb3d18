"""Passes: each has an area, and controls that act there only; they are laid over the picture in their order.

Exposure to haze move light before the tone curve, where passes add up; the rest, and every pass that is blended, works on
finished light in the passes' order.
"""

from dataclasses import replace
from typing import Annotated, Any, Literal

from pydantic import Field, create_model

from zincplate.ops.areas import Area
from zincplate.ops.base import Operation, Parameters, gauge, switch
from zincplate.ops.curve_points import CurvePoints
from zincplate.ops.inks import grey_fields, key_fields, six, toning_fields, toning_of
from zincplate.ops.items import WITH_IDS, Item
from zincplate.ops.noise_words import TOLD_APART
from zincplate.ops.plate_values import PlateColour
from zincplate.plan.colour import NO_SIX, ColourPlan
from zincplate.plan.light import LightPlan
from zincplate.plan.passes import USUAL_PERCENT, DisplayLight, PassPlan, SceneLight

BLENDS = {
    "normal": "normal",
    "lighten": "lighten",
    "darken": "darken",
    "multiply": "multiply",
    "screen": "screen",
    "overlay": "overlay",
    "soft_light": "soft light",
    "luminosity": "luminosity",
    "colour": "colour",
    "sum": "add",
}
Blend = Literal["normal", "lighten", "darken", "multiply", "screen", "overlay", "soft_light", "luminosity", "colour", "sum"]
ONLY_NORMAL = ("shadows", "highlights", "clarity", "haze", "noise", "even_colour", "even_light", "shine", "glow")
"""Controls that look at the surroundings in scene light: they act only where the blend is normal."""


def _percent(label: str, help: str, low: float = -100) -> float:
    return float_gauge(label, low, 100, 1, "", help)


def float_gauge(label: str, low: float, high: float, step: float, unit: str, help: str, decimals: int = 0) -> float:
    """A gauge whose neutral is zero."""
    found: float = gauge(label, neutral=0, low=low, high=high, step=step, unit=unit, help=help, decimals=decimals)
    return found


class _Light(Parameters):
    exposure_ev: float = float_gauge("Exposure", -4, 4, 0.05, "EV", "Lighter or darker; one EV is a factor of two in light.", 2)
    warmer_mired: float = float_gauge("Warmer", -150, 150, 1, "mired", "Towards yellow, or towards blue, as a change of light.")
    magenta: float = _percent("Magenta", "Towards magenta, or towards green.")
    contrast: float = _percent("Contrast", "Steeper or flatter about middle grey.")
    shadows: float = _percent("Shadows", "Opens dark regions, or closes them; drawing inside them stays.")
    highlights: float = _percent("Highlights", "Brings bright regions in, or lets them go.")
    clarity: float = _percent("Clarity", "Forms of middle size stronger or softer.")
    haze: float = _percent("Haze removal", "Takes the veil of air away, or adds to it.")
    noise: float = _percent("Noise", "Calms grain and colour noise here.", 0)
    sharper: float = _percent("Sharper", "Sharpening added to what the whole picture gets, or below zero softened.")
    even_colour: float = _percent("Even colour", "Evens blotches of colour out, as on skin; texture and light stay.", 0)
    even_light: float = _percent(
        "Even light", "Evens blotches of light out; pores and modelling stay. Below zero such forms get stronger."
    )
    shine: float = _percent("Cover shine", "Brings what shines down to the tone and colour around it, or to a picked one.", 0)
    shine_tone: PlateColour | None = Field(
        default=None,
        json_schema_extra={
            "x-ui": {
                "kind": "picked",
                "label": "Tone for shine",
                "help": "What shines is brought to this tone and colour of the picture instead of to what lies around it.",
            }
        },
    )
    forms_percent: float = gauge(
        "Size of blotches",
        neutral=USUAL_PERCENT,
        low=0.2,
        high=20,
        step=0.1,
        decimals=1,
        unit="%",
        scale="log",
        help="How large blotches and shine are that the three above look at, in percent of the long edge. Found skin sets it.",
    )
    glow: float = _percent("Glow", "Light spreads round lamps and what else shines far above the picture.", 0)
    glow_percent: float = gauge(
        "Reach of the glow", neutral=3, low=0.3, high=20, step=0.1, decimals=1, unit="%", scale="log",
        help="How far light spreads, in percent of the long edge.",
    )  # fmt: skip
    saturation: float = _percent("Saturation", "All colours stronger or weaker.")
    vibrance: float = _percent("Vibrance", "Weak colours stronger or weaker.")
    hue_degrees: float = float_gauge("Hue", -180, 180, 1, "\N{DEGREE SIGN}", "Turns all hues.")
    tint_strength: float = _percent("Tint", "Lays a colour over the middle of the scale.", 0)
    tint_hue: float = gauge(
        "Tint, hue", neutral=60, low=0, high=360, step=1, unit="\N{DEGREE SIGN}", help="Which colour.", kind="hue"
    )
    black_and_white: bool = switch("Black and white", help="Takes colour out; the weights say how light each hue becomes.")
    level_black: float = gauge("Black level", neutral=0, low=0, high=200, step=1, help="What becomes black, of 255.")
    level_middle: float = gauge(
        "Middle level", neutral=1, low=0.2, high=5, step=0.01, decimals=2, scale="log", help="Above 1 lightens the middle."
    )
    level_white: float = gauge("White level", neutral=255, low=55, high=255, step=1, help="What becomes white, of 255.")
    curve: CurvePoints = Field(
        default=((0.0, 0.0), (1.0, 1.0)),
        json_schema_extra={"x-ui": {"kind": "curve", "label": "Curve", "help": "Input to output; hue stays."}},
    )


_INKS: dict[str, Any] = {**key_fields(), **grey_fields(), **toning_fields()}
_WithInks = create_model("_WithInks", __base__=_Light, **_INKS)


class Controls(_WithInks):  # type: ignore[misc, valid-type]  # the inks' fields are made as those of the step of colour
    """What a pass does where it acts."""

    def inks(self) -> ColourPlan:
        """Ink keys, weights of hues in grey while it takes colour out, and toning; hues of no strength left out."""
        weights = six(self, "grey") if self.black_and_white else NO_SIX
        return ColourPlan(
            hue=six(self, "hue"),
            key_saturation=six(self, "saturation"),
            lightness=six(self, "lightness"),
            toning=toning_of(self),
            grey_weights=weights if weights != NO_SIX else None,
        )


class Pass(Item):
    """One pass."""

    name: Annotated[str, Field(min_length=1, max_length=40)] = "Pass"
    on: bool = True
    strength: Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)] = 100
    blend: Blend = "normal"
    group: Annotated[str, Field(max_length=40)] = ""
    area: Area = Area()
    controls: Controls = Controls()

    def planned(self) -> PassPlan:
        """In the engine's units."""
        c = self.controls
        scene = SceneLight(
            c.exposure_ev,
            c.warmer_mired,
            c.magenta / 100,
            c.contrast / 100,
            c.shadows / 100,
            c.highlights / 100,
            c.clarity / 100,
            c.haze / 100,
            c.even_colour / 100,
            c.even_light / 100,
            c.shine / 100,
            c.shine_tone if c.shine else None,
            c.forms_percent if c.even_colour or c.even_light or c.shine else USUAL_PERCENT,
            c.glow / 100,
            c.glow_percent if c.glow else SceneLight.glow_percent,
            c.noise / 100,
        )
        display = DisplayLight(
            c.level_black / 255,
            c.level_white / 255,
            c.level_middle,
            c.curve,
            c.black_and_white,
            c.saturation / 100,
            c.vibrance / 100,
            c.hue_degrees,
            c.tint_hue,
            c.tint_strength / 100,
            c.inks(),
            c.sharper / 100,
        )
        if not c.tint_strength:
            display = replace(display, tint_hue_degrees=0.0)
        return PassPlan(self.area.planned(), self.strength / 100, self.blend, scene, display)


class PassesParameters(Parameters):
    """Laid over the picture in this order, the first first."""

    passes: Annotated[tuple[Pass, ...], WITH_IDS, Field(max_length=40)] = Field(
        default=(), json_schema_extra={"x-ui": {"kind": "passes", "label": "Passes", "help": "Adjustments of parts."}}
    )


def apply(parameters: PassesParameters, plan: LightPlan) -> LightPlan:
    """Puts every pass that acts into the plan."""
    planned = tuple(p.planned() for p in parameters.passes if p.on and p.strength > 0)
    acting = tuple(p for p in planned if p.acts)
    if not acting:
        return plan
    by_passes = any(p.display.sharper for p in acting)
    return replace(plan, passes=acting, finish=replace(plan.finish, sharpen_by_passes=by_passes))


def _controls(values: dict[str, Any]) -> list[dict[str, Any]]:
    """What the passes of a recipe hold that was only read."""
    listed = values.get("passes")
    passes = [p for p in listed if isinstance(p, dict)] if isinstance(listed, list | tuple) else []
    return [c for p in passes if isinstance(c := p.get("controls"), dict)]


def _evening_first(values: dict[str, Any]) -> tuple[dict[str, Any], str]:
    """From version 1, which took haze out before it evened colour, and evened coarser blotches."""
    told = any(c.get("even_colour") for c in _controls(values))
    return values, "Passes even finer blotches of colour out than they did, and before haze is taken away." if told else ""


def _noise_below_texture(values: dict[str, Any]) -> tuple[dict[str, Any], str]:
    """From version 2, which took texture that fills a picture for noise."""
    return values, TOLD_APART if any(c.get("noise") for c in _controls(values)) else ""


PASSES = Operation("passes", "passes", "Passes", 3, PassesParameters, apply, upgrades=(_evening_first, _noise_below_texture))
