"""From a recipe and a source's colour to the tables of the fused kernel."""

import json
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cache, lru_cache

import numpy as np
from numpy.typing import NDArray

from zincplate.core.colour.adaptation import D65_XY, bradford
from zincplate.core.colour.camera_colour import CameraMatrices
from zincplate.core.colour.colour_spaces import REC2020, SPACES, SRGB, WORKING_LUMINANCE, RGBSpace
from zincplate.core.kernels.light import NOTHING, TONE_MAX, LightNumbers, LightSwitches, LightTables, encode_inputs, table_inputs
from zincplate.core.kernels.numbers import float32_numbers
from zincplate.core.tone import curve
from zincplate.ops.order import ORDER
from zincplate.plan.colour import ColourPlan
from zincplate.plan.light import LightPlan
from zincplate.recipe.document import Recipe
from zincplate.tables.colour_plan import colour_tables, shifted_primaries

Float = NDArray[np.float64]

NO_CLIP = 3.0e38


def plan_of(recipe: Recipe, raw: bool, as_shot_xy: tuple[float, float]) -> LightPlan:
    """Runs every adjustment of the recipe over an empty plan."""
    plan = LightPlan(raw=raw, as_shot_xy=as_shot_xy if raw else D65_XY)
    effective = recipe.effective()
    for operation in ORDER:
        plan = operation.add_to(effective.parameters[operation.id], plan)
    return plan


_TONE_INPUTS = table_inputs(TONE_MAX)
_CURVE_INPUTS = SRGB.transfer.encode(table_inputs())
_IDENTITY_CURVES = np.stack([table_inputs()] * 5).astype(np.float32)


@cache
def encode_table(space: str) -> NDArray[np.float32]:
    """The kernel's encoding table of one of our spaces."""
    return SPACES[space].transfer.encode(encode_inputs()).astype(np.float32)


def tables_of(
    recipe: Recipe,
    *,
    matrices: CameraMatrices | None,
    as_shot_neutral: tuple[float, float, float],
    as_shot_xy: tuple[float, float],
    baseline_gain: float,
    space: str,
    to_working: tuple[float, ...] = (),
    linear_output: bool = False,
) -> LightTables:
    """Kernel tables for plates that were divided by ``as_shot_neutral`` (camera data) or are linear light of a rendered
    file's own primaries, which ``to_working`` (nine numbers) takes to Rec.2020.

    ``space`` is a key of :data:`zincplate.core.colour.colour_spaces.SPACES`; with ``linear_output`` the encoding is left out.
    Equal input gives the same object again (small cache), so a view that only moves does no table work.
    """
    used = recipe.with_switch("framing", False).with_switch("passes", False).with_switch("repair", False).effective()
    return _tables(
        _Used(json.dumps(used.to_document(), sort_keys=True), used),
        matrices,
        as_shot_neutral,
        as_shot_xy,
        baseline_gain,
        space,
        to_working,
        linear_output,
    )


@dataclass(frozen=True)
class _Used:
    """A recipe that is told from others by its text."""

    text: str
    recipe: Recipe = field(compare=False)


@lru_cache(maxsize=64)
def _tables(
    used: _Used,
    matrices: CameraMatrices | None,
    as_shot_neutral: tuple[float, float, float],
    as_shot_xy: tuple[float, float],
    baseline_gain: float,
    space: str,
    to_working: tuple[float, ...],
    linear_output: bool,
) -> LightTables:
    plan = plan_of(used.recipe, matrices is not None, as_shot_xy)
    target = SPACES[space]
    neutral, clip = np.zeros(3), NO_CLIP
    gains = gains_of(plan, matrices, as_shot_neutral, as_shot_xy).astype(np.float32)
    if matrices is not None and plan.plate.recovery != "clip":
        neutral = np.asarray(as_shot_neutral) / gains
    if matrices is not None and plan.plate.recovery != "rebuild":
        clip = 1.0
    matrix = matrix_of(plan, matrices, baseline_gain, to_working)
    of_curves = (plan.curve_rgb, plan.curve_red, plan.curve_green, plan.curve_blue, plan.curve_luminance)
    coloured = plan.colour != ColourPlan()
    direct = target.from_working @ matrix
    inside = bool((np.abs(direct.sum(1)) <= 1 + 1e-6).all() and (direct >= -1e-6).all())
    inside = inside and not coloured and not plan.tone and all(points is None for points in of_curves)
    if inside:
        # nothing between the two matrices: one, so that a file comes back exactly in its own space
        light = np.where(np.abs(direct) < 1e-9, 0, direct), target.to_xyz[1], np.eye(3)
    else:
        light = matrix, WORKING_LUMINANCE, target.from_working

    tone = _composed(plan.tone)(_TONE_INPUTS) if plan.tone else _TONE_INPUTS
    curves = _IDENTITY_CURVES.copy()
    ends = np.tile([0.0, 1.0], (5, 1))
    for row, points in enumerate(of_curves):
        if points is not None:
            curves[row] = SRGB.transfer.decode(curve.evaluate(points, _CURVE_INPUTS, extended=True))
            ends[row] = SRGB.transfer.decode(np.array([points[0][0], points[-1][0]]))
    switches = LightSwitches(
        toned=int(bool(plan.tone)),
        channel_curves=int(any(c is not None for c in (plan.curve_red, plan.curve_green, plan.curve_blue))),
        rgb_curve=int(plan.curve_rgb is not None),
        luminance_curve=int(plan.curve_luminance is not None),
        encoding=_encoding(target, linear_output),
        coloured=int(coloured),
        picked=len(plan.colour.picked),
        draws_in=int(not inside),
        compresses=int(not inside and plan.soft_gamut),
        toning=int(plan.colour.toning is not None),
        fades_only_full=int(plan.plate.recovery == "rebuild"),
    )
    numbers = float32_numbers(LightNumbers, gains, clip, *light, neutral, ends)
    colours = colour_tables(plan.colour, space, plan.soft_gamut)
    return LightTables(numbers, switches, tone.astype(np.float32), curves, encode_table(space), colours)


def _encoding(target: RGBSpace, linear_output: bool) -> int:
    return 0 if linear_output else 1 if target.transfer == SRGB.transfer else 2


def gains_of(
    plan: LightPlan,
    matrices: CameraMatrices | None,
    as_shot_neutral: tuple[float, float, float],
    as_shot_xy: tuple[float, float],
) -> Float:
    """Factors that take plates balanced as shot to the plan's balance."""
    if matrices is None or plan.white_xy == as_shot_xy:
        return np.ones(3)
    return np.asarray(as_shot_neutral) / matrices.neutral_of(plan.white_xy)


def matrix_of(plan: LightPlan, matrices: CameraMatrices | None, baseline_gain: float, to_working: tuple[float, ...]) -> Float:
    """3x3 from balanced plates to linear Rec.2020, exposure and the shift of the primaries included."""
    if matrices is not None:
        matrix = matrices.balanced_to_working(plan.white_xy) * (plan.gain * baseline_gain)
    else:
        shift = np.eye(3)
        if plan.white_xy != D65_XY:
            shift = REC2020.from_xyz @ bradford(plan.white_xy, D65_XY) @ REC2020.to_xyz
            shift = shift / (WORKING_LUMINANCE @ shift @ np.ones(3))
        matrix = shift @ np.reshape(to_working, (3, 3)) * plan.gain
    return np.asarray(shifted_primaries(plan.primaries) @ matrix) if plan.primaries else matrix


def _composed(functions: tuple[Callable[[Float], Float], ...]) -> Callable[[Float], Float]:
    def run(x: Float) -> Float:
        for function in functions:
            x = function(x)
        return x

    return run


@lru_cache(maxsize=16)
def finishing_tables(space: str, soft_gamut: bool, linear_output: bool = False) -> LightTables:
    """Tables for finished light (display-linear Rec.2020, 0..1) that is only drawn in to a delivery space and encoded."""
    target = SPACES[space]
    numbers = float32_numbers(
        LightNumbers,
        np.ones(3),
        NO_CLIP,
        np.eye(3),
        WORKING_LUMINANCE,
        target.from_working,
        np.zeros(3),
        np.tile([0.0, 1.0], (5, 1)),
    )
    switches = NOTHING._replace(encoding=_encoding(target, linear_output), draws_in=1, compresses=int(soft_gamut))
    colours = colour_tables(ColourPlan(), space, soft_gamut)
    return LightTables(numbers, switches, _TONE_INPUTS.astype(np.float32), _IDENTITY_CURVES, encode_table(space), colours)
