"""Passes over a window: what they ask of light before the tone curve, and what they lay over finished light."""

import math
from dataclasses import replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from zincplate.core.colour.colour_spaces import SRGB
from zincplate.core.colour.temperature import KELVIN_MAX, KELVIN_MIN, temperature_and_tint, white_point_xy
from zincplate.core.kernels import memory
from zincplate.core.kernels.light import LightTables, Parts, to_float
from zincplate.core.kernels.numbers import float32_numbers
from zincplate.core.tone import curve
from zincplate.core.tone.blends import NUMBERS
from zincplate.core.tone.haze import KEPT, LEAST_TRANSMISSION, VEIL
from zincplate.core.tone.pass_display import TABLE, DisplayNumbers, DisplayTables, Layers, reached_by
from zincplate.core.tone.pass_light import (
    BLUE,
    CLARITY,
    CONTRAST,
    CONTRAST_SLOPE,
    HAZE,
    HIGHLIGHTS,
    RED,
    SHADOWS,
    STRENGTHS,
    AskedNumbers,
)
from zincplate.pipeline.areas import Areas
from zincplate.pipeline.framing import Framed
from zincplate.pipeline.lit import Lit, Over
from zincplate.pipeline.windows import Window
from zincplate.plan.colour import NO_COLOUR
from zincplate.plan.light import LightPlan
from zincplate.plan.passes import AreaPlan, DisplayLight, PassPlan, SceneLight
from zincplate.recipe.document import Recipe
from zincplate.sources.file import Source
from zincplate.tables.colour_plan import colour_tables
from zincplate.tables.light_plan import finishing_tables

Float32 = NDArray[np.float32]

TINT_AT_END = 60.0
"""Tint (as of the balance) by which a pass turns light at magenta 1."""
TINT_CHROMA = 0.12
MERELY = 1e-3
"""A trace of haze, where only passes ask for it."""
LEVELS_INPUTS = np.minimum(np.arange(TABLE + 2) / TABLE, 1.0) ** 2


def scene_key(plan: LightPlan) -> tuple[PassPlan, ...]:
    """What the local stage depends on of the passes."""
    return tuple(replace(p, display=DisplayLight()) for p in plan.passes if p.in_scene)


def in_display(plan: LightPlan) -> tuple[PassPlan, ...]:
    """Passes that are laid over finished light, in order."""
    return tuple(p for p in plan.passes if p.in_display)


def asked_of(source: Source, plan: LightPlan, light: SceneLight, luminance: NDArray[np.float64]) -> Float32:
    """(8,) what a pass asks for in full, as :mod:`zincplate.core.tone.pass_light` has it."""
    asked = np.zeros(STRENGTHS, np.float32)
    asked[RED : BLUE + 1] = light.exposure_ev + np.log2(warmth_gains(source, plan, light, luminance))
    asked[CONTRAST], asked[SHADOWS], asked[HIGHLIGHTS] = light.contrast, light.shadows, light.highlights
    asked[CLARITY], asked[HAZE] = light.clarity, light.haze
    return asked


def warmth_gains(source: Source, plan: LightPlan, light: SceneLight, luminance: NDArray[np.float64]) -> NDArray[np.float64]:
    """Gains (3,) on plates that look warmer and more magenta, as a change of balance would make them; the luminance of grey
    stays. ``luminance``: :meth:`Source.luminance_weights` of the plan."""
    if not light.warmer_mired and not light.magenta:
        return np.ones(3)
    other = _other_light(plan.white_xy, light.warmer_mired, light.magenta)
    grey = source.plate_of_white(plan.white_xy)
    gains = grey / source.plate_of_white(other)
    weights = luminance * grey
    return np.asarray(gains * weights.sum() / (weights @ gains))


@lru_cache(maxsize=256)
def _other_light(white_xy: tuple[float, float], warmer_mired: float, magenta: float) -> tuple[float, float]:
    """White point of the light for which a picture of this balance is that much warmer and more magenta."""
    kelvin, tint = temperature_and_tint(white_xy)
    mired = min(max(1e6 / kelvin - warmer_mired, 1e6 / (KELVIN_MAX - 1)), 1e6 / (KELVIN_MIN + 1))
    return white_point_xy(1e6 / mired, tint + TINT_AT_END * magenta)


def asked_by(
    areas: Areas, framed: Framed, key: str, plan: LightPlan, passes: tuple[PassPlan, ...], window: Window, keep: bool
) -> tuple[list[Float32], Float32]:
    """Areas (h, w) that reach into a window, of the passes that ask for something of light, and what is asked for there
    (areas, 8): passes with one area ask together."""
    planes, amounts = list[Float32](), list[Float32]()
    for area, more in asked_in(framed.source, plan, passes).items():
        plane = areas.within(framed, key, area, window, keep)
        if plane is not None:
            planes.append(plane)
            amounts.append(more)
    return planes, np.array(amounts, np.float32).reshape(-1, STRENGTHS)


def asked_in(source: Source, plan: LightPlan, passes: tuple[PassPlan, ...]) -> dict[AreaPlan, Float32]:
    """(8,) what is asked of light in each area of the passes that ask for something."""
    luminance = source.luminance_weights(plan)
    asked: dict[AreaPlan, Float32] = {}
    for one in passes:
        more = asked_of(source, plan, one.scene, luminance) * np.float32(one.strength)
        if more.any():
            asked[one.area] = asked[one.area] + more if one.area in asked else more
    return asked


def haze_for(plan: LightPlan) -> float:
    """Haze for which small planes are made: coefficients do not depend on how much of it is taken out."""
    return plan.local.haze or (MERELY if any(one.scene.haze and one.strength for one in scene_key(plan)) else 0.0)


def sharper_of(areas: Areas, framed: Framed, key: str, plan: LightPlan, window: Window, keep: bool = True) -> Float32 | None:
    """(h, w) -1..1 how much passes sharpen or soften each place of a window; None where none does."""
    out: Float32 | None = None
    for one in plan.passes:
        area = areas.within(framed, key, one.area, window, keep) if one.display.sharper else None
        if area is not None:
            part = area * np.float32(one.display.sharper * one.strength)
            out = part if out is None else out + part
    return None if out is None else np.clip(out, np.float32(-1), np.float32(1))


def asked_numbers(air: NDArray[np.float32]) -> AskedNumbers:
    """Numbers of :func:`zincplate.core.tone.pass_light.apply_asked`."""
    return float32_numbers(AskedNumbers, air, LEAST_TRANSMISSION, KEPT, VEIL)


def laid_over(
    areas: Areas,
    framed: Framed,
    key: str,
    plan: LightPlan,
    planes: Float32,
    tables: LightTables,
    window: Window,
    keep: bool,
    everywhere: bool = True,
) -> tuple[Float32, NDArray[np.uint8]]:
    """Finished light (display-linear Rec.2020, 0..1) of planes that are ready for the colour kernel, passes laid over it, and the
    parts of rows that they reach. Not ``everywhere``: the light is that of those parts only.

    ``tables`` are the recipe's for Rec.2020 and linear output.
    """
    passes = in_display(plan)
    covered = {area: areas.within(framed, key, area, window, keep) for area in dict.fromkeys(one.area for one in passes)}
    reached = reached_by([plane for plane in covered.values() if plane is not None], (window.height, window.width))
    # colours are drawn in to the delivery space once, at the end
    switches = tables.switches._replace(draws_in=0, compresses=0)
    light = memory.empty(*planes.shape)
    parts = None if everywhere else Parts(reached, 1)
    to_float(np.ascontiguousarray(planes), replace(tables, switches=switches), light, parts)
    layers = Layers(light)
    for one in passes:
        area = covered[one.area]
        if area is not None:
            layers.lay(area, display_tables(one.everywhere(), _balance(framed.source, plan, one)))
    return layers.settled(), reached


def lit(
    areas: Areas,
    framed: Framed,
    key: str,
    recipe: Recipe,
    plan: LightPlan,
    planes: Float32,
    window: Window,
    space: str,
    *,
    linear_output: bool = False,
    keep: bool = True,
) -> Lit:
    """What goes into the last kernel: planes as they are, and finished light where passes lie over it.

    Whether colours that Rec.2020 does not hold are clipped must not depend on how far a pass reaches: light that none reaches
    goes the usual way only if it can be clipped on it as well, which is where only drawing in comes after Rec.2020.
    """
    tables, planes = framed.source.tables(recipe, space, linear_output), np.ascontiguousarray(planes)
    if not in_display(plan):
        return Lit(planes, tables)
    wide = framed.source.tables(recipe, "rec2020", linear_output=True)
    finishing = finishing_tables(space, plan.soft_gamut, linear_output)
    everywhere = bool(tables.switches.coloured) or not tables.switches.draws_in
    light, reached = laid_over(areas, framed, key, plan, planes, wide, window, keep, everywhere)
    if everywhere:
        return Lit(light, finishing)
    return Lit(planes, replace(tables, switches=tables.switches._replace(bounded=1)), Over(light, finishing, reached))


def _balance(source: Source, plan: LightPlan, one: PassPlan) -> tuple[float, float, float]:
    """Gains on finished light of a pass that is blended: its exposure and, as gains on Rec.2020, its warmth."""
    if one.blend == "normal":
        return (1.0, 1.0, 1.0)
    gains = warmth_gains(source, plan, one.scene, source.luminance_weights(plan))
    r, g, b = 2.0**one.scene.exposure_ev * gains
    return (float(r), float(g), float(b))


@lru_cache(maxsize=128)
def display_tables(one: PassPlan, gains: tuple[float, float, float]) -> DisplayTables:
    """Numbers and tables of one pass over finished light."""
    d = one.display
    contrast = one.scene.contrast if one.blend != "normal" else 0.0
    toned = (d.black, d.white, d.middle) != (0.0, 1.0, 1.0) or not curve.is_identity(d.curve) or contrast != 0
    by_tone, by_hue = d.inks.toning is not None, replace(d.inks, toning=None) != NO_COLOUR
    coloured = (
        by_hue or by_tone or (d.saturation, d.vibrance, d.hue_degrees, d.tint_strength) != (0, 0, 0, 0) or d.black_and_white
    )
    turn, tint = math.radians(d.hue_degrees), math.radians(d.tint_hue_degrees)
    chroma = TINT_CHROMA * d.tint_strength
    saturation = 1 + d.saturation if d.saturation < 0 else 2.0**d.saturation
    turned = math.cos(turn), math.sin(turn)
    tinted = chroma * math.cos(tint), chroma * math.sin(tint)
    numbers = float32_numbers(
        DisplayNumbers,
        (*gains, toned, coloured, by_hue, by_tone, saturation, 1.2 * d.vibrance),
        (*turned, *tinted, d.black_and_white, NUMBERS[one.blend], one.strength),
    )
    encoded = SRGB.transfer.encode(LEVELS_INPUTS)
    if toned:
        encoded = np.clip((encoded - d.black) / max(d.white - d.black, 1e-3), 0, 1) ** (1 / d.middle)
        if contrast:
            encoded = _steeper(encoded, 1 + CONTRAST_SLOPE * contrast)
        encoded = np.clip(curve.evaluate(d.curve, encoded, extended=True), 0, 1)
    inks = colour_tables(d.inks, "rec2020", False)
    return DisplayTables(numbers, SRGB.transfer.decode(encoded).astype(np.float32), inks.hues, inks.toning)


def _steeper(v: NDArray[np.float64], slope: float) -> NDArray[np.float64]:
    """Encoded values through a curve of a slope at one half that keeps both ends: a power on each side of the middle."""
    low = 0.5 * (2 * np.minimum(v, 0.5)) ** slope
    high = 1 - 0.5 * (2 * (1 - np.maximum(v, 0.5))) ** slope
    return np.where(v < 0.5, low, high)
