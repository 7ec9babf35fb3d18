"""The stages between a source's plates and the fused kernel: recovery, noise, and the local stage.

Results are kept by what they depend on: small planes by the plate work and haze, plates by the window and the plate work,
the local result by everything before the colour kernel. So a colour control computes colour only.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zincplate.core.haze import KEPT, LEAST_TRANSMISSION, air_of
from zincplate.core.highlights import ratios_of, rebuild
from zincplate.core.learned_noise import reduce_noise_best
from zincplate.core.local_tone import PARAMETERS, LocalTables, local_gain
from zincplate.core.low_planes import LONG_EDGE, Air, Bases, bases_of, ev
from zincplate.core.wavelet_noise import MARGIN as NOISE_MARGIN
from zincplate.core.wavelet_noise import WEIGHTS, reduce_noise
from zincplate.engine.cache import ByteCache
from zincplate.engine.source import Source
from zincplate.ops.plan import LightPlan, LocalPlan, PlatePlan

Float32 = NDArray[np.float32]

LIGHTNESS_STRENGTH, COLOUR_STRENGTH = 2.4, 3.0
"""Multiples of the noise deviation at 100."""


@dataclass(frozen=True)
class Window:
    """A part of the picture scaled to ``full_width`` x ``full_height``."""

    full_width: int
    full_height: int
    x: int
    y: int
    width: int
    height: int

    def grown(self, margin: int) -> "Window":
        """With context on every side, as far as the picture goes."""
        x, y = max(self.x - margin, 0), max(self.y - margin, 0)
        right, bottom = min(self.x + self.width + margin, self.full_width), min(self.y + self.height + margin, self.full_height)
        return replace(self, x=x, y=y, width=right - x, height=bottom - y)

    def inside(self, outer: "Window") -> tuple[slice, slice]:
        """Rows and columns of this window in an outer one's planes."""
        top, left = self.y - outer.y, self.x - outer.x
        return slice(top, top + self.height), slice(left, left + self.width)


Reader = Callable[[Source, str, Window, bool], Float32]
"""Plates of a window at its size: source, content hash, window, hot pixels taken out."""


def fitted_size(width: int, height: int, long_edge: int) -> tuple[int, int]:
    """Size of the whole at a long edge, never enlarged."""
    scale = min(long_edge / max(width, height), 1.0)
    return max(round(width * scale), 1), max(round(height * scale), 1)


def scale_of(source: Source, window: Window) -> float:
    """Size of a window's picture relative to full size."""
    return min(math.sqrt(window.full_width * window.full_height / (source.width * source.height)), 1.0)


class Stages:
    """One per renderer."""

    def __init__(self, read: Reader, cache_bytes: int = 192 << 20, best: bool = False) -> None:
        """With ``best`` noise goes the slow way where the recipe asks for it; views leave that to deliveries."""
        self._read = read
        self._best = best
        self._cache = ByteCache(cache_bytes)
        self._small = ByteCache(32 << 20)

    def margin(self, source: Source, plan: LightPlan, window: Window) -> int:
        """Context that noise reduction needs at a window's size."""
        if not plan.plate.luminance_noise and not plan.plate.colour_noise:
            return 0
        return NOISE_MARGIN

    def local(self, source: Source, key: str, plan: LightPlan, window: Window, keep: bool = True) -> Float32:
        """Planes ready for the colour kernel. ``window`` should carry :meth:`margin` pixels of context.

        With ``keep`` the result stays in the cache (views); deliveries pass every window once.
        """
        if plan.local == LocalPlan():
            return self.plate(source, key, plan.plate, window, keep)
        weights = source.luminance_weights(plan)
        exposure_ev = math.log2(plan.gain)

        def make() -> Float32:
            planes = self.plate(source, key, plan.plate, window, keep)
            out = np.empty_like(planes)
            bases = self.bases(source, key, plan.plate, plan.local.haze)
            tables = self._tables(source, key, plan, window, weights, exposure_ev, bases)
            local_gain(planes, *tables.arguments(), window.x, window.y, out)
            return out

        if not keep:
            return make()
        stage = (key, "local", window, plan.plate, plan.local, tuple(weights), exposure_ev)
        return self._cache.get(stage, make, lambda a: a.nbytes)

    def _tables(
        self,
        source: Source,
        key: str,
        plan: LightPlan,
        window: Window,
        weights: NDArray[np.float64],
        exposure_ev: float,
        bases: Bases,
    ) -> LocalTables:
        local = plan.local
        p = np.zeros(PARAMETERS, np.float32)
        p[0:6] = window.full_width, window.full_height, *weights, exposure_ev
        p[6:9] = local.shadows, local.highlights, local.clarity
        air_planes = np.zeros((2, *bases.planes.shape[1:]), np.float32)
        if local.haze:
            air = self.air(source, key, plan.plate)
            air_planes = np.stack([air.a, air.b])
            p[9] = local.haze * (KEPT if local.haze > 0 else 0.7)
            p[10:13] = air.light
            p[13] = LEAST_TRANSMISSION
        if local.vignette is not None:
            v = local.vignette
            inner = 1 - v.reach
            outer = inner + 0.02 + v.softness * (1.15 - inner)
            p[14:19] = v.strength_ev, inner, 1 / (outer - inner), (v.roundness + 1) / 2, v.spare_highlights
        return LocalTables(bases.planes, air_planes, p)

    def plate(self, source: Source, key: str, plan: PlatePlan, window: Window, keep: bool = True) -> Float32:
        """Plates of a window after recovery and noise reduction."""
        rebuilding = plan.recovery == "rebuild" and source.raw
        calming = plan.luminance_noise > 0 or plan.colour_noise > 0
        if not rebuilding and not calming:
            return self._read(source, key, window, plan.hot_pixels)

        def make() -> Float32:
            planes = self._read(source, key, window, plan.hot_pixels)
            if rebuilding and bool((planes.max((1, 2)) > source.white_limits * 0.92).any()):
                ratios = self._ratios(source, key, plan.hot_pixels)
                out = np.empty_like(planes)
                place = (window.full_width, window.full_height, window.x, window.y)
                rebuild(planes, ratios, source.white_limits, *place, out)
                planes = out
            if calming:
                noise = source.noise(scale_of(source, window))
                if plan.best_noise and self._best:
                    planes = reduce_noise_best(planes, noise, 2 * plan.luminance_noise, 2 * plan.colour_noise)
                else:
                    lightness, colour = plan.luminance_noise * LIGHTNESS_STRENGTH, plan.colour_noise * COLOUR_STRENGTH
                    planes = reduce_noise(np.ascontiguousarray(planes), noise, lightness, colour)
            return planes

        if not keep:
            return make()
        return self._cache.get((key, "plate", window, plan), make, lambda a: a.nbytes)

    def _whole(self, source: Source) -> Window:
        width, height = fitted_size(source.width, source.height, LONG_EDGE)
        return Window(width, height, 0, 0, width, height)

    def _ratios(self, source: Source, key: str, hot_pixels: bool) -> Float32:
        def make() -> Float32:
            return ratios_of(self._read(source, key, self._whole(source), hot_pixels), source.white_limits)

        return self._small.get((key, "ratios", hot_pixels), make, lambda a: a.nbytes)

    def small(self, source: Source, key: str, plan: PlatePlan) -> Float32:
        """Small planes of the whole picture after recovery; noise is averaged away there."""
        return self.plate(
            source, key, replace(plan, luminance_noise=0.0, colour_noise=0.0, best_noise=False), self._whole(source)
        )

    def air(self, source: Source, key: str, plan: PlatePlan) -> Air:
        """Haze of the picture."""
        stage = (key, "air", plan.recovery, plan.hot_pixels)
        return self._small.get(stage, lambda: air_of(self.small(source, key, plan)), lambda a: a.nbytes)

    def bases(self, source: Source, key: str, plan: PlatePlan, haze: float) -> Bases:
        """Bases of the picture after haze was taken out, at neutral exposure and the balance as shot."""

        def make() -> Bases:
            small = self.small(source, key, plan)
            weights = source.luminance_weights(LightPlan(source.raw, source.as_shot_xy, source.as_shot_xy))
            if haze:
                hazy = LightPlan(source.raw, source.as_shot_xy, source.as_shot_xy, local=LocalPlan(haze=haze), plate=plan)
                neutral = Bases(np.zeros((4, *small.shape[1:]), np.float32))
                tables = self._tables(source, key, hazy, self._whole(source), weights, 0.0, neutral)
                out = np.empty_like(small)
                local_gain(small, *tables.arguments(), 0, 0, out)
                small = out
            lightness_ev = ev(small, weights)
            noise = source.noise(scale_of(source, self._whole(source)))
            # a root of deviation d has 2 d / root of relative noise; in stops that over ln 2
            root = np.sqrt(0.18 * 2.0**lightness_ev / max(float(weights.sum()), 1e-6) + noise.shift)
            deviation = float(np.sqrt(np.square(WEIGHTS) @ np.square(noise.deviation)))
            return bases_of(lightness_ev, ((2 * deviation / math.log(2)) / root) ** 2)

        stage: tuple[Any, ...] = (key, "bases", plan.recovery, plan.hot_pixels, haze)
        return self._small.get(stage, make, lambda b: b.nbytes)
