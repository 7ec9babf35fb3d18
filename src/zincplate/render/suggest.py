"""Proposals measured on one picture: white balance, tone, ends of the scale; each value with its reason in words.

Tone follows the zone system's order (A. Adams, "The Negative"): place the middle, then see where the ends fall. The middle
is the log-average of the lit part (Reinhard et al. 2002, "key"), moved only three quarters of the way, so that a dark picture
stays a dark picture; the ends are set on what the final tones of the darkest and lightest thousandth are.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zincplate.core.colour import oklab
from zincplate.core.colour.colour_spaces import SPACES, SRGB
from zincplate.core.colour.illuminant import estimate_light
from zincplate.core.colour.temperature import temperature_and_tint, white_point_xy
from zincplate.core.kernels.light import to_float
from zincplate.core.tone.low_planes import LONG_EDGE, ev
from zincplate.pipeline.stages import calm
from zincplate.pipeline.windows import Window, fitted_size
from zincplate.plan.plate import PlatePlan
from zincplate.recipe.document import Recipe
from zincplate.recipe.numbers import signed
from zincplate.render.render import Renderer
from zincplate.sources.file import Source

Float = NDArray[np.float64]
Values = dict[str, dict[str, Any]]

MOST_FULL = 0.02
"""Of the picture may have a channel at its end after a suggested exposure, unless more had before."""
TINT_TAKEN = 0.4
"""Of what is seen across the locus: daylight and lamps lie on it, walls, glazes and leaves that throw light back do not."""
TINT_USUAL = 18.0
"""How far from the camera's tint a found one still is likely."""
NIGHT_EV = -4.5
"""Median below which a picture is taken for a night sky."""
MIDDLE_MOVED = 0.75
DARK_END, LIGHT_END = 4 / 255, 250 / 255
"""Encoded tones that the darkest and lightest thousandth should come to: just inside the ends, so that nothing blocks up."""
ENDS = (0.1, 99.9)
END_RANGE = {"black_point": (-40, 15), "white_point": (-40, 30)}
GREYS_MOVED, GREY_CHROMA = 0.7, 0.04
"""Share of the greys' cast that is taken out, and the Oklab chroma below which a colour may be a grey with a cast."""
MOST_SHIFT = 0.1
"""Encoded shift of a channel's end that still passes for a cast; more is the subject's colour."""


@dataclass(frozen=True)
class Proposal:
    """One start: what it is called, what it sets, and why."""

    name: str
    summary: str
    values: Values
    reasons: dict[str, str] = field(default_factory=dict)
    """step.control -> sentence."""


class Suggester:
    """Works on the small picture that the engine keeps for its local stage."""

    def __init__(self, renderer: Renderer, source: Source, key: str, recipe: Recipe) -> None:
        self.renderer, self.source, self.key, self.recipe = renderer, source, key, recipe
        self._framed = renderer.framed(source, key, source.plan(recipe).frame)
        width, height = fitted_size(self._framed.width, self._framed.height, LONG_EDGE)
        self._window = Window(width, height, 0, 0, width, height)

    def _small(self, plate: PlatePlan) -> NDArray[np.float32]:
        """Small planes of what the crop leaves: what was cut away says nothing about the picture."""
        self.renderer.breathe()
        return self.renderer.stages.frame(self._framed, self.key, calm(plate), self._window, keep=False)

    def _encoded(self, recipe: Recipe) -> Float:
        """Encoded sRGB planes (3, h, w) of the small picture, colour controls and finish left out."""
        self.renderer.breathe()
        plain = recipe.with_switch("colour", False).with_switch("finish", False)
        plan = self.source.plan(plain)
        planes = np.ascontiguousarray(self.renderer.stages.local(self._framed, self.key, plan, self._window, keep=False))
        out = np.empty_like(planes)
        to_float(planes, self.source.tables(plain, "srgb"), out)
        return out.astype(np.float64)

    def _tones(self, recipe: Recipe) -> Float:
        """Encoded grey of every pixel: the display luminance, encoded."""
        rgb = SRGB.transfer.decode(self._encoded(recipe))
        return np.asarray(SRGB.transfer.encode(np.tensordot(SPACES["srgb"].to_xyz[1], rgb, 1)))

    def balance(self) -> list[Proposal]:
        """The light as three estimators see it; none when the picture tells nothing."""
        source = self.source
        small = self._small(source.plan(self.recipe).plate)
        kelvins = 1e6 / np.linspace(1e6 / 12000, 1e6 / 2300, 34)
        candidates = np.array(
            [source.plate_of_white(white_point_xy(float(k), float(t))) for k in kelvins for t in (-24, -12, 0, 12, 24)]
        )
        limits = source.white_limits if source.raw else np.ones(3, np.float32)
        found = estimate_light(small, limits, candidates)
        if found is None:
            return []
        try:
            kelvin, tint = temperature_and_tint(source.white_of_plate(np.array(found.rgb)))
        except ValueError:
            return []
        keep = temperature_and_tint(source.as_shot_xy)
        seen = tint
        tint = keep[1] + TINT_TAKEN * (seen - keep[1])
        confidence = found.confidence * math.exp(-(((seen - keep[1]) / TINT_USUAL) ** 2) / 2)
        kelvin, tint = float(np.clip(round(kelvin, -1), 2000, 15000)), float(np.clip(round(tint), -100, 100))
        sure = "sure" if confidence > 0.66 else "fairly sure" if confidence > 0.33 else "a guess"
        aside = (
            f" They see tint {signed(seen, 0)}; light is seldom that far off the locus, its surroundings often are."
            if abs(seen - tint) > 4
            else ""
        )
        reason = (
            f"White patch, grey edges and the search for greys put the light at {kelvin:.0f} K, tint {signed(tint, 0)}; "
            f"{sure} ({confidence:.0%}: how far the three agree and how much grey there is).{aside}"
        )
        values: Values = {"balance": {"temperature_kelvin": kelvin, "tint": tint}}
        proposals = [
            Proposal(
                "Found light",
                f"{kelvin:.0f} K, {sure}",
                values,
                {"balance.temperature_kelvin": reason, "balance.tint": reason},
            )
        ]
        half = 2e6 / (1e6 / kelvin + 1e6 / keep[0]), (tint + keep[1]) / 2
        if abs(1e6 / kelvin - 1e6 / keep[0]) > 8 or abs(tint - keep[1]) > 4:
            kelvin, tint = float(round(half[0], -1)), float(round(half[1]))
            why = "Half of the way from the camera's choice: the light stays felt."
            values = {"balance": {"temperature_kelvin": kelvin, "tint": tint}}
            proposals.append(
                Proposal("Half of it", f"{kelvin:.0f} K", values, {"balance.temperature_kelvin": why, "balance.tint": why})
            )
        return proposals + self._sky_background(small)

    def _sky_background(self, small: NDArray[np.float32]) -> list[Proposal]:
        """Night skies: the peaks of the channels' histograms made to meet, as the dark sky between the stars is grey."""
        source = self.source
        weights = source.luminance_weights(source.plan(self.recipe))
        middle = float(np.median(ev(small, weights)))
        if middle > NIGHT_EV:
            return []
        peaks = np.array([_peak(plane) for plane in small])
        if (peaks < 1e-5).any() or not np.isfinite(peaks).all():
            return []
        try:
            kelvin, tint = temperature_and_tint(source.white_of_plate(peaks / peaks[1]))
        except ValueError:
            return []
        kelvin, tint = float(np.clip(round(kelvin, -1), 2000, 15000)), float(np.clip(round(tint), -100, 100))
        why = f"Half of the picture lies below {middle:.1f} EV: its background peaks meet at {kelvin:.0f} K, "
        why += f"tint {signed(tint, 0)}."
        reasons = {"balance.temperature_kelvin": why, "balance.tint": why}
        values: Values = {"balance": {"temperature_kelvin": kelvin, "tint": tint}}
        return [Proposal("Sky background", "peaks of the dark sky meet", values, reasons)]

    def tone(self) -> list[Proposal]:
        """Tone alone, both ends neutral, ends and middle neutral, and a soft one for harsh light."""
        alone = self._tone_alone(self.recipe.value("tone", "view"))
        proposals = [Proposal("Tone alone", "colours kept", *alone)]
        for name, summary, middle in (
            ("Ends neutral", "no cast at the ends", False),
            ("Middle neutral too", "none in the greys", True),
        ):
            values, reasons = self._neutral_ends(alone[0], middle)
            if values:
                proposals.append(Proposal(name, summary, {"tone": {**alone[0]["tone"], **values}}, {**alone[1], **reasons}))
        if self.recipe.value("tone", "view") != "linear":
            proposals.append(Proposal("Soft", "for harsh light", *self._tone_alone("soft")))
        return proposals

    def _tone_alone(self, view: str) -> tuple[Values, dict[str, str]]:
        source, reasons = self.source, {}
        start = self.recipe.with_values({"tone": dict.fromkeys(_TONE, 0) | {"view": view} | _STRAIGHT})
        plan = source.plan(start)
        small = self._small(plan.plate)
        scene = ev(small, source.luminance_weights(plan)).ravel().astype(np.float64)
        dark, low, high, light = np.percentile(scene, [1, 10, 90, 99.5])
        lit = scene[(scene > max(dark, -9)) & (scene < light)]
        middle = float(lit.mean()) if lit.size else 0.0
        # a scene far wider than a print keeps its lit side; the shadows are opened as regions below
        target = -0.2 if view != "linear" else 0.0
        exposure = MIDDLE_MOVED * (target - middle)
        room = 2.6 if view == "soft" else 1.6
        # lights that would go over are held back as regions; beyond two stops of that the whole is lightened less
        held = min(exposure, max(room + 2.0 - light, 0.0)) if exposure > 0 else exposure
        exposure = float(np.clip(round(max(held, -3.0) * 20) / 20, -3, 3.5))
        reasons["tone.exposure_ev"] = (
            f"The lit part averages {signed(middle, 1)} EV about middle grey; {signed(exposure, 2)} EV brings it "
            "three quarters of the way"
            + (", held back for the lights." if held < MIDDLE_MOVED * (target - middle) - 0.05 else ".")
        )
        over = float(light + exposure - room)
        highlights = -float(np.clip(round(over * 30), 0, 60)) if over > 0.1 else 0.0
        if highlights:
            reasons["tone.highlights"] = f"The lightest parts lie {over:.1f} EV above what the rendering shows."
        under = float(-2.4 - (low + exposure))
        shadows = float(np.clip(round(under * 26), 0, 60)) if under > 0.2 else 0.0
        if shadows:
            reasons["tone.shadows"] = f"A tenth of the picture lies more than {under + 2.4:.1f} EV below middle grey."
        tone: dict[str, Any] = {"exposure_ev": exposure, "highlights": highlights, "shadows": shadows, "view": view}
        if high - low < 2.2:
            tone["contrast"] = float(np.clip(round((2.2 - (high - low)) * 22), 0, 35))
            reasons["tone.contrast"] = f"The picture spans only {high - low:.1f} EV between its tenths."
        tone = dict.fromkeys(_TONE, 0.0) | tone
        recipe = start.with_values({"tone": tone})
        # strong colours run into the end of a channel long before they are light: a flower before the dark, a red cloth
        before = full = self._full(start)
        while exposure > 0 and (full := self._full(recipe)) > max(before, MOST_FULL):
            exposure = max(round(exposure - 0.2, 2), 0.0)
            recipe = recipe.with_values({"tone": {"exposure_ev": exposure}})
        if exposure < tone["exposure_ev"]:
            tone["exposure_ev"] = exposure
            reasons["tone.exposure_ev"] = (
                f"The lit part averages {signed(middle, 1)} EV about middle grey; held at {signed(exposure, 2)} EV, where "
                f"{full:.1%} of the picture has a channel at its end."
            )
        for control in ("black_point", "white_point"):
            tone[control], reasons[f"tone.{control}"] = self._end(recipe, control)
            recipe = recipe.with_values({"tone": {control: tone[control]}})
        return {"tone": tone}, reasons

    def _full(self, recipe: Recipe) -> float:
        """Share of the picture with a channel at the top."""
        return float((self._encoded(recipe).max(0) > 0.995).mean())

    def end(self, control: str) -> Proposal:
        """Black or white point alone, from the data."""
        value, reason = self._end(self.recipe, control)
        return Proposal("From the data", f"{signed(value, 0)}", {"tone": {control: value}}, {f"tone.{control}": reason})

    def _end(self, recipe: Recipe, control: str) -> tuple[float, str]:
        """The value that brings an end of the picture's tones just inside the scale; within :data:`END_RANGE`."""
        dark = control == "black_point"
        share, goal = (ENDS[0], DARK_END) if dark else (ENDS[1], LIGHT_END)

        def tone_at(value: float) -> float:
            return float(np.percentile(self._tones(recipe.with_values({"tone": {control: value}})), share))

        now = tone_at(0.0)
        value = float(round(_solved(tone_at, goal, *END_RANGE[control])))
        words = "darkest" if dark else "lightest"
        after = tone_at(value)
        return value, f"The {words} thousandth is at {now * 255:.0f} of 255 and comes to {after * 255:.0f}."

    def _neutral_ends(self, alone: Values, middle: bool) -> tuple[dict[str, Any], dict[str, str]]:
        """Channel curves that take the cast out of the ends, and out of the greys between; empty when there is none."""
        encoded = self._encoded(self.recipe.with_values(alone)).reshape(3, -1)
        grey = encoded.mean(0)
        order = np.argsort(grey)
        count = max(order.size // 500, 20)
        low = encoded[:, order[:count]].mean(1)
        high = encoded[:, order[-count:]].mean(1)
        casts = np.abs(low - low.mean()).max(), np.abs(high - high.mean()).max()
        values: dict[str, Any] = {}
        reasons: dict[str, str] = {}
        lab = oklab.from_working(np.moveaxis(SRGB.transfer.decode(encoded), 0, -1) @ SRGB.to_working.T)
        near_grey = (np.hypot(lab[..., 1], lab[..., 2]) < GREY_CHROMA) & (grey > 0.25) & (grey < 0.75)
        centre = encoded[:, near_grey].mean(1) if middle and near_grey.mean() > 0.01 else None
        if middle and centre is None:
            return {}, {}
        if max(casts) < 0.008 and (centre is None or np.abs(centre - centre.mean()).max() < 0.006):
            return {}, {}
        for i, channel in enumerate(("red", "green", "blue")):
            shift_low = float(low.mean() - low[i]) if casts[0] < MOST_SHIFT else 0.0
            shift_high = float(high.mean() - high[i]) if casts[1] < MOST_SHIFT else 0.0
            points = [[float(low[i]), float(low[i]) + shift_low], [float(high[i]), float(high[i]) + shift_high]]
            if centre is not None:
                shift = GREYS_MOVED * float(np.clip(centre.mean() - centre[i], -MOST_SHIFT, MOST_SHIFT))
                points.insert(1, [float(centre[i]), float(centre[i]) + shift])
            values[f"curve_{channel}"] = _drawn(points)
            where = "ends and the greys between" if middle else "ends"
            reasons[f"tone.curve_{channel}"] = (
                f"{channel.capitalize()} of the {where} moved by {signed(shift_low * 255, 0)} and "
                f"{signed(shift_high * 255, 0)} of 255, so that they carry no cast."
            )
        return values, reasons

    def whole(self) -> list[Proposal]:
        """Balance and tone together: each tone proposal on the found light."""
        light = self.balance()
        if not light:
            return self.tone()
        lit = Suggester(self.renderer, self.source, self.key, self.recipe.with_values(light[0].values))
        return [
            Proposal(p.name, p.summary, {**light[0].values, **p.values}, {**light[0].reasons, **p.reasons}) for p in lit.tone()
        ]


def _peak(plane: NDArray[np.float32]) -> float:
    """Most frequent value of a plane: the top of its histogram, refined by a parabola through the bins beside it."""
    values = plane[plane > 0].astype(np.float64)
    if values.size < 200:
        return 0.0
    low, high = np.quantile(values, [0.005, 0.8])
    counts, edges = np.histogram(values, bins=96, range=(float(low), float(max(high, low * 1.001))))
    smooth = np.convolve(counts, [0.1, 0.2, 0.4, 0.2, 0.1], "same")
    i = int(np.clip(np.argmax(smooth), 1, smooth.size - 2))
    a, b, c = smooth[i - 1], smooth[i], smooth[i + 1]
    offset = 0.5 * (a - c) / (a - 2 * b + c) if a - 2 * b + c < 0 else 0.0
    return float(edges[i] + (edges[1] - edges[0]) * (0.5 + offset))


_TONE = ("exposure_ev", "black_point", "shadows", "contrast", "highlights", "white_point")
_STRAIGHT: dict[str, Any] = {f"curve_{c}": [[0, 0], [1, 1]] for c in ("red", "green", "blue")}


def _solved(function: Callable[[float], float], goal: float, low: float, high: float) -> float:
    """Where a rising function reaches its goal, or the nearer end."""
    if function(low) >= goal:
        return low
    if function(high) <= goal:
        return high
    for _ in range(7):
        middle = (low + high) / 2
        low, high = (middle, high) if function(middle) < goal else (low, middle)
    return (low + high) / 2


def _drawn(points: list[list[float]]) -> list[list[float]]:
    """A curve through points in encoded values, carried on to both ends of the scale at its first and last shift."""
    first, last = points[0], points[-1]
    drawn = [[0.0, max(first[1] - first[0], 0.0)]] if first[0] > 0.004 else []
    drawn += points
    if last[0] < 0.996:
        drawn.append([1.0, min(1.0, 1.0 + last[1] - last[0])])
    kept: list[list[float]] = []
    for x, y in drawn:
        if not kept or x - kept[-1][0] > 0.004:
            kept.append([round(min(max(x, 0.0), 1.0), 5), round(min(max(y, 0.0), 1.0), 5)])
    for a, b in pairwise(kept):
        b[1] = max(a[1], b[1])
    return kept if len(kept) >= 2 else [[0, 0], [1, 1]]
