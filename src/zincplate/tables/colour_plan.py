"""From the colour part of a plan to the tables of the kernel's perceptual part."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from zincplate.core.colour import oklab
from zincplate.core.colour.adaptation import D65_XY, xy_to_xyz
from zincplate.core.colour.colour_spaces import REC2020, SPACES, SRGB
from zincplate.core.colour.gamut import chroma_limits
from zincplate.core.kernels.light_colour import HUE_SIZE, KEY_VALUES, TONING_SIZE, WELL_INSIDE, ColourNumbers, ColourTables
from zincplate.core.kernels.numbers import float32_numbers
from zincplate.core.kernels.oklab_planes import oklab_matrices
from zincplate.plan.colour import ColourPlan, PickedKey, Six, ToningPlan

Float = NDArray[np.float64]

HUE_STEP = 0.3
"""Share of the way to the neighbouring key at 100: below 1 / pi, so that hues keep their order."""
KEY_LIFT = 0.4
GREY_LIFT = 0.6
"""Relative change of Oklab lightness at 100."""
SKIN_HUE, SKIN_WIDTH, SKIN_SPARED = 52.0, 26.0, 0.65
"""Oklab hue of skin of every shade (common practice: skin lies on one line of hue), and how far vibrance spares it."""
TONING_CHROMA = 0.09
SOFT_KNEE = 0.85
"""Share of the chroma limit from which camera colours are compressed."""

_CIRCLE = np.array([[1, 0, 0], [1, 1, 0], [0, 1, 0], [0, 1, 1], [0, 0, 1], [1, 0, 1]], np.float64)
KEY_HUES: Float = oklab.hue_degrees(oklab.from_working(_CIRCLE @ SRGB.to_working.T))
"""Oklab hues of the six keys: the primaries and secondaries of sRGB."""


def key_weights(hue: Float) -> Float:
    """Weights (..., 6) of the six keys at hues in degrees: raised cosines between neighbours, together 1 everywhere."""
    weights = np.zeros((*np.shape(hue), 6))
    for k in range(6):
        gap = (KEY_HUES[(k + 1) % 6] - KEY_HUES[k]) % 360
        t = ((hue - KEY_HUES[k]) % 360) / gap
        inside = t < 1
        share = 0.5 + 0.5 * np.cos(np.pi * np.where(inside, t, 0))
        weights[..., k] += np.where(inside, share, 0)
        weights[..., (k + 1) % 6] += np.where(inside, 1 - share, 0)
    return weights


def hue_shifts(values: Six) -> Float:
    """Degrees by which each key turns, from values -1..1."""
    after = (np.roll(KEY_HUES, -1) - KEY_HUES) % 360
    before = np.roll(after, 1)
    v = np.asarray(values)
    return HUE_STEP * np.where(v >= 0, v * after, v * before)


def _hue_table(plan: ColourPlan) -> Float:
    hue = oklab.hue_of_diamond(np.arange(HUE_SIZE + 2) * (4 / HUE_SIZE))
    weights = key_weights(hue)
    turn = np.radians(weights @ hue_shifts(plan.hue))
    # 1 doubles the chroma, -1 takes it out altogether
    strength = weights @ np.array([1 + v if v < 0 else 2.0**v for v in plan.key_saturation])
    lift = KEY_LIFT * (weights @ np.asarray(plan.lightness))
    if plan.grey_weights is not None:
        lift = GREY_LIFT * (weights @ np.asarray(plan.grey_weights))
        strength = np.zeros_like(hue)
    away = (hue - SKIN_HUE + 180) % 360 - 180
    guard = 1 - SKIN_SPARED * np.exp(-((away / SKIN_WIDTH) ** 2))
    return np.concatenate([strength * np.cos(turn), strength * np.sin(turn), lift, guard])


def _toning_table(toning: ToningPlan | None) -> Float:
    light = np.minimum(np.arange(TONING_SIZE + 2) / TONING_SIZE, 1.0)
    if toning is None:
        return np.zeros(2 * light.size)
    # Bernstein weights: together 1, smooth; the balance bends the scale under them
    u = light ** (2.0**-toning.balance)
    weights = ((1 - u) ** 2, 2 * u * (1 - u), u**2)
    ends = _smooth(light / 0.12) * _smooth((1 - light) / 0.05)
    a = b = np.zeros_like(light)
    for w, (hue, strength) in zip(weights, (toning.shadows, toning.midtones, toning.highlights), strict=True):
        chroma = TONING_CHROMA * strength * w * ends
        a, b = a + chroma * np.cos(np.radians(hue)), b + chroma * np.sin(np.radians(hue))
    return np.concatenate([a, b])


def _smooth(t: Float) -> Float:
    t = np.clip(t, 0, 1)
    return np.asarray(t * t * (3 - 2 * t))


def _key_row(key: PickedKey, grey: bool) -> list[float]:
    turn = np.radians(key.hue_degrees)
    strength = 1 + key.saturation if key.saturation < 0 else 2.0**key.saturation
    lift = GREY_LIFT * key.grey_weight if grey else KEY_LIFT * key.lift
    height = 2 * key.reach + 0.15
    return [
        key.lightness,
        key.a,
        key.b,
        1 / key.reach**2,
        1 / height**2,
        strength * np.cos(turn),
        strength * np.sin(turn),
        lift,
    ]


def reach_of(key: PickedKey, lab: Float) -> Float:
    """How strongly a picked key acts on Oklab colours (..., 3): 0..1, as the kernel has it."""
    d = lab - np.array([key.lightness, key.a, key.b])
    height = 2 * key.reach + 0.15
    return np.asarray(np.maximum(1 - (d[..., 1] ** 2 + d[..., 2] ** 2) / key.reach**2 - d[..., 0] ** 2 / height**2, 0) ** 2)


@lru_cache(maxsize=64)
def colour_tables(plan: ColourPlan, space: str, soft: bool) -> ColourTables:
    """Tables for one plan and one delivery space."""
    to_target = SPACES[space].from_working @ oklab.LMS_TO_WORKING
    # grey must stay grey to the last digit: its three sums are made one
    to_target = to_target / to_target.sum(1, keepdims=True)
    saturation = 1 + plan.saturation if plan.saturation < 0 else 2.0**plan.saturation
    inside = WELL_INSIDE if space != "romm" else 1e3
    ends = saturation, 1.2 * plan.vibrance, SOFT_KNEE if soft else 1.0, inside
    rows = [_key_row(k, plan.grey_weights is not None) for k in plan.picked] or [[0.0] * KEY_VALUES]
    return ColourTables(
        float32_numbers(ColourNumbers, ends),
        oklab_matrices(to_target),
        _hue_table(plan).astype(np.float32),
        _toning_table(plan.toning).astype(np.float32),
        np.array(rows, np.float32),
        chroma_limits(space),
    )


def shifted_primaries(shift: tuple[tuple[float, float], ...]) -> Float:
    """3x3 on linear Rec.2020 that turns the primaries of sRGB about white (degrees) and moves them away from it (relative).

    White stays: the columns are scaled to the same sum (the usual construction of an RGB space from chromaticities).
    """
    white = np.asarray(D65_XY)
    columns = []
    for (turn, purity), primary in zip(shift, SRGB.primaries, strict=True):
        d = np.asarray(primary) - white
        c, s = np.cos(np.radians(turn)), np.sin(np.radians(turn))
        columns.append(xy_to_xyz(white + (1 + purity) * np.array([c * d[0] - s * d[1], s * d[0] + c * d[1]])))
    moved = np.array(columns).T
    moved = moved * np.linalg.solve(moved, xy_to_xyz(D65_XY))
    return np.asarray(REC2020.from_xyz @ moved @ SRGB.from_xyz @ REC2020.to_xyz)
