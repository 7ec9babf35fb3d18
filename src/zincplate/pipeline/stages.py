"""The stages between a source's plates and the fused kernel: recovery, noise, framing, and the local stage.

Results are kept by what they depend on: small planes by the plate work and haze, plates by the window and the plate work,
the local result by everything before the colour kernel. So a colour control computes colour only.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zincplate.core.geometry.radial import Radial
from zincplate.core.geometry.splines import spline_coefficients
from zincplate.core.geometry.warp import warp, warp_linear
from zincplate.core.kernels.numbers import float32_numbers
from zincplate.core.noise.learned_noise import reduce_noise_best
from zincplate.core.noise.wavelet_noise import COLOUR_STRENGTH, LIGHTNESS_STRENGTH, WEIGHTS, reduce_noise
from zincplate.core.sensor.colour_shift import ColourShift
from zincplate.core.sensor.highlights import Surroundings, rebuild, seen_at, surroundings
from zincplate.core.tone.haze import KEPT, LEAST_TRANSMISSION, VEIL, air_of
from zincplate.core.tone.local_tone import LocalNumbers, LocalTables, local_gain
from zincplate.core.tone.low_planes import LONG_EDGE, Air, Bases, bases_of, ev
from zincplate.core.tone.pass_light import apply_asked
from zincplate.pipeline.areas import Areas
from zincplate.pipeline.cache import ByteCache
from zincplate.pipeline.framing import Framed
from zincplate.pipeline.mended import laid_over
from zincplate.pipeline.pass_forms import Forms
from zincplate.pipeline.passes import asked_by, asked_in, asked_numbers, haze_for, scene_key
from zincplate.pipeline.recorded import Reader, Recorded, noise_margin, part_read
from zincplate.pipeline.windows import Window, fitted_size, level_of, scale_of, small_whole
from zincplate.plan.light import LightPlan
from zincplate.plan.local import LocalPlan
from zincplate.plan.plate import PlatePlan
from zincplate.sources.file import Source
from zincplate.sources.mended_smaller import as_seen
from zincplate.sources.repair_keys import plain_key

Float32 = NDArray[np.float32]


@dataclass(frozen=True)
class AirPlanes:
    """Haze as the local kernel reads it: two planes of coefficients, and the colour of the air."""

    planes: Float32
    light: NDArray[np.float32]


class Stages:
    """One for each way of working; small pictures of the whole, which are the same in all ways, may be kept by several in one."""

    def __init__(self, read: Reader, small: ByteCache, cache_bytes: int, best: bool = False) -> None:
        """``small`` has to hold everything that one picture needs, or its windows make all of it anew each time; ``cache_bytes``
        are for windows. With ``best`` noise goes the slow way where the recipe asks for it; :attr:`between` is called on the
        way."""
        self._read, self._small = read, small
        self._best = best
        self.between: Callable[[], None] = lambda: None
        self._cache = ByteCache(cache_bytes)
        # thirty passes have thirty planes at one size: more than a fixed part of this holds, and every view uses them all
        self.areas = Areas(read, small, self._cache)
        self.recorded = Recorded(read, self._cache)
        self._forms = Forms(self.areas, self._lit_of, lambda framed, e: _noise_ev2(framed.source, e), self._small)

        self._moving: tuple[object, ...] | None = None

    def moves(self, framed: Framed) -> None:
        """A hand moves the frame: how the picture lay at its last move is not met again, and would take the room of what is."""
        gone, self._moving = self._moving, framed.key
        if gone not in (None, framed.key):
            for cache in (self._cache, self._small):
                cache.drop(lambda key: isinstance(key, tuple) and key[-1] == gone)

    def margin(self, framed: Framed, plan: LightPlan) -> int:
        """Context that noise reduction needs at a window's size; a resampled frame fetches its own."""
        return noise_margin(_with_calm_passes(plan)) if framed.direct else 0

    def beforehand(self, framed: Framed, key: str, plan: LightPlan) -> list[Callable[[], object]]:
        """What windows of any place need of small pictures of the whole, each to be made by itself: a delivery makes them side by
        side, where its first parts would wait for each other."""
        passes = scene_key(plan)
        hazes = {plan.local.haze} if plan.local != LocalPlan() else set[float]()
        hazes |= {haze_for(plan)} if asked_in(framed.source, plan, passes) else set()
        made: list[Callable[[], object]] = [partial(self._framed_bases, framed, key, plan.plate, haze) for haze in hazes]
        for area in dict.fromkeys(one.area for one in plan.passes):
            made += self.areas.beforehand(framed, key, area)
        return made + self._forms.beforehand(framed, key, plan, passes)

    def local(self, framed: Framed, key: str, plan: LightPlan, window: Window, keep: bool = True) -> Float32:
        """Planes of the framed picture ready for the colour kernel. ``window`` should carry :meth:`margin` pixels of context.

        With ``keep`` the result stays in the cache (views); deliveries pass every window once.
        """
        passes = scene_key(plan)
        if not passes:
            return self._whole_local(framed, key, plan, window, keep)
        weights = framed.source.luminance_weights(plan)
        exposure_ev = math.log2(plan.gain)

        def make() -> Float32:
            planes = self._whole_local(framed, key, plan, window, keep)
            planes = self._forms.applied(framed, key, plan, passes, planes, window, keep)
            areas, asked = asked_by(self.areas, framed, key, plan, passes, window, keep)
            if not areas:
                return planes
            bases, air = self._framed_bases(framed, key, plan.plate, haze_for(plan))
            view = window.numbers(weights, exposure_ev)
            numbers = asked_numbers(air.light)
            return apply_asked(planes, bases.planes, air.planes, areas, asked, view, numbers, window.x, window.y)

        if not keep:
            return make()
        stage = (key, "passes", window, plan.plate, plan.local, passes, plan.white_xy, tuple(weights), exposure_ev, framed.key)
        return self._cache.get(stage, make, lambda a: a.nbytes)

    def _whole_local(self, framed: Framed, key: str, plan: LightPlan, window: Window, keep: bool) -> Float32:
        """What is asked for of the whole picture."""
        if plan.local == LocalPlan():
            return self._calmed(framed, key, plan, window, keep)
        weights = framed.source.luminance_weights(plan)
        exposure_ev = math.log2(plan.gain)

        def make() -> Float32:
            planes = self._calmed(framed, key, plan, window, keep)
            out = np.empty_like(planes)
            bases, air = self._framed_bases(framed, key, plan.plate, plan.local.haze)
            view = window.numbers(weights, exposure_ev)
            local_gain(
                planes, *LocalTables(bases.planes, air.planes, view, _parameters(plan, air)).arguments(), window.x, window.y, out
            )
            return out

        if not keep:
            return make()
        noisy = tuple(p for p in scene_key(plan) if p.scene.noise)
        stage = (key, "local", window, plan.plate, plan.local, noisy, tuple(weights), exposure_ev, framed.key)
        return self._cache.get(stage, make, lambda a: a.nbytes)

    def _calmed(self, framed: Framed, key: str, plan: LightPlan, window: Window, keep: bool) -> Float32:
        """Plates of a window, those with noise calmed laid in where passes ask for it."""
        planes = self.frame(framed, key, plan.plate, window, keep)
        passes = tuple(p for p in scene_key(plan) if p.scene.noise)
        share = self._forms.noise_share(framed, key, passes, window, keep) if passes else None
        if share is None:
            return planes
        calmed = self.frame(framed, key, _with_calm_passes(plan), window, keep)
        return np.asarray(planes + share * (calmed - planes), np.float32)

    def frame(self, framed: Framed, key: str, plan: PlatePlan, window: Window, keep: bool = True) -> Float32:
        """Plates of a window of the framed picture."""
        source, source_key = framed.source, framed.source_key(key)
        if framed.direct:
            return self.plate(source, source_key, plan, framed.direct_window(window), keep)

        def make() -> Float32:
            part, shift = part_read(framed, window, plan, framed.reach)
            sampling, radial = framed.sampling(window, part, framed.reach), framed.map.radial
            planes = self.plate(source, source_key, plan, part, keep, shift)
            radial = radial if shift is None else radial.alike
            if not keep:
                return warp(planes, sampling, radial, window.width, window.height)
            # while a movement is dragged the same plate is read again and again
            splines = (source_key, "splines", part, plan, shift and shift.key)
            coefficients = self._cache.get(splines, lambda: spline_coefficients(planes), lambda a: a.nbytes)
            return warp(planes, sampling, radial, window.width, window.height, coefficients)

        if not keep:
            return make()
        return self._cache.get((key, "frame", window, plan, framed.key), make, lambda a: a.nbytes)

    def _framed_bases(self, framed: Framed, key: str, plan: PlatePlan, haze: float) -> tuple[Bases, AirPlanes]:
        """Small planes as the framed picture sees them."""
        source, source_key, radial = framed.source, framed.source_key(key), framed.map.radial

        def make() -> tuple[Bases, AirPlanes]:
            bases = self._bases(source, source_key, plan, haze, radial)
            air = self._air_planes(source, source_key, plan, haze, radial, bases.planes.shape[1:])
            if framed.direct and (framed.width, framed.height) == (source.width, source.height):
                return bases, air
            width, height = fitted_size(framed.width, framed.height, LONG_EDGE)
            small = small_whole(source, LONG_EDGE)
            sampling = framed.sampling(Window(width, height, 0, 0, width, height), small)
            place = (sampling, radial, width, height)
            return Bases(warp_linear(bases.planes, *place)), replace(air, planes=warp_linear(air.planes, *place))

        stage = (key, "framed bases", plan.recovery, plan.hot_pixels, haze, framed.key)
        return self._small.get(stage, make, lambda both: both[0].nbytes + both[1].planes.nbytes)

    def plate(
        self, source: Source, key: str, plan: PlatePlan, window: Window, keep: bool = True, shift: ColourShift | None = None
    ) -> Float32:
        """Plates of a window after recovery and noise reduction."""
        rebuilding = plan.recovery == "rebuild" and source.raw
        calming = plan.luminance_noise > 0 or plan.colour_noise > 0
        if keep and source.mended is not None and not calming:
            over = self._over_plain(source, key, plan, window, shift)
            if over is not None:
                return over
        if not rebuilding and not calming:
            return self._read(source, key, window, plan.hot_pixels, shift)

        def make() -> Float32:
            planes = self._with_repairs(source, key, window, plan.hot_pixels, shift) if keep else None
            if planes is None:
                planes = self._read(source, key, window, plan.hot_pixels, shift)
            if rebuilding and bool((planes.max((1, 2)) > source.white_limits * 0.92).any()):
                place = window.in_whole(source)
                around = self._blown(source, key, plan.hot_pixels, round(place[0]))
                out = np.empty_like(planes)
                rebuild(planes, around, source.white_limits, place, out)
                planes = out
            if calming:
                noise = source.noise(scale_of(source, window), below_texture=True)
                if plan.best_noise and self._best:
                    planes = reduce_noise_best(planes, noise, 2 * plan.luminance_noise, 2 * plan.colour_noise, self.between)
                else:
                    lightness, colour = plan.luminance_noise * LIGHTNESS_STRENGTH, plan.colour_noise * COLOUR_STRENGTH
                    planes = reduce_noise(np.ascontiguousarray(planes), noise, lightness, colour)
            return planes

        if not keep:
            return make()
        return self._cache.get((key, "plate", window, plan, shift and shift.key), make, lambda a: a.nbytes)

    def _over_plain(self, source: Source, key: str, plan: PlatePlan, window: Window, shift: ColourShift | None) -> Float32 | None:
        """Plates of a window with repairs laid over those that are kept without them; None where that is not the same."""
        mended = source.mended
        assert mended is not None
        if not window.within:
            return None  # beyond the picture there are no kept plates to lay repairs over
        rebuilding, level = plan.recovery == "rebuild" and source.raw, level_of(source, window)
        if rebuilding and not mended.moving and _mends_blown(source, level, plan.hot_pixels):
            return None

        def make() -> Float32 | None:
            kept = lambda: self.plate(source.plain, plain_key(key), plan, window, True, shift)  # noqa: E731
            return laid_over(source, kept, window, plan.hot_pixels, shift)

        stage = (key, "over plain", window, plan, shift and shift.key)
        over = self._cache.get(stage, make, lambda a: a.nbytes if a is not None else 64)
        # what moves is worked out while it is laid over what has been read, so that is asked afterwards
        return None if rebuilding and mended.moving and _mends_blown(source, level, plan.hot_pixels) else over

    def _with_repairs(
        self, source: Source, key: str, window: Window, hot_pixels: bool, shift: ColourShift | None
    ) -> Float32 | None:
        """What is read of a window, the repairs laid over it; None where there are none, or that is not the same."""
        if source.mended is None or not window.within:
            return None
        plain = lambda: self._read(source.plain, plain_key(key), window, hot_pixels, shift)  # noqa: E731
        return laid_over(source, plain, window, hot_pixels, shift)

    def _blown(self, source: Source, key: str, hot_pixels: bool, width_px: int) -> Surroundings:
        """What stands around blown areas, for windows at a size of the whole."""
        level = level_of(source, Window(max(width_px, 1), max(round(width_px * source.height / source.width), 1), 0, 0, 1, 1))
        if source.mended is not None and (source.mended.moving or not _mends_blown(source, level, hot_pixels)):
            # repairs that have nothing to do with blown areas leave what stands around them; that is not looked for anew while
            # a hand moves one
            source, key = source.plain, plain_key(key)

        def make() -> Surroundings:
            # half size: every sample is one group of the sensor's sites, so that full ones are not averaged away
            width, height = max(source.width // 2, 1), max(source.height // 2, 1)
            halved = Window(width, height, 0, 0, width, height)
            planes = self._read(source, key, halved, hot_pixels)
            small = small_whole(source, LONG_EDGE)
            return surroundings(planes, source.white_limits, small.full_width, small.full_height)

        found = self._small.get((key, "blown", hot_pixels), make, lambda a: a.nbytes)
        if width_px >= source.width:
            return found
        return self._small.get((key, "blown", hot_pixels, width_px), lambda: seen_at(found, width_px), lambda a: a.near.nbytes)

    def small(self, source: Source, key: str, plan: PlatePlan, long_edge: int = LONG_EDGE) -> Float32:
        """Small planes of the whole picture after recovery; noise is averaged away there."""
        return self.plate(source, key, calm(plan), small_whole(source, long_edge))

    def _lit_of(self, framed: Framed, key: str, plan: PlatePlan, long_edge: int) -> Float32:
        return self._lit(framed.source, framed.source_key(key), plan, framed.map.radial, long_edge)

    def _lit(self, source: Source, key: str, plan: PlatePlan, radial: Radial, long_edge: int = LONG_EDGE) -> Float32:
        """Small planes with the lens's fall-off made up for."""
        small = self.small(source, key, plan, long_edge)
        if not radial.lights:
            return small
        height, width = small.shape[1:]
        y, x = np.ogrid[0:height, 0:width]
        scale = source.width / width
        radius = np.hypot((x + 0.5 - width / 2) * scale, (y + 0.5 - height / 2) * scale)
        return np.ascontiguousarray(small * radial.gain_at(radius).astype(np.float32))

    def _air(self, source: Source, key: str, plan: PlatePlan, radial: Radial) -> Air:
        """Haze of the picture."""
        stage = (key, "air", plan.recovery, plan.hot_pixels, radial.key)
        return self._small.get(stage, lambda: air_of(self._lit(source, key, plan, radial)), lambda a: a.nbytes)

    def _air_planes(
        self, source: Source, key: str, plan: PlatePlan, haze: float, radial: Radial, shape: tuple[int, ...]
    ) -> AirPlanes:
        if not haze:
            return AirPlanes(np.zeros((2, *shape), np.float32), np.zeros(3, np.float32))
        air = self._air(source, key, plan, radial)
        return AirPlanes(np.stack([air.a, air.b]), np.asarray(air.light, np.float32))

    def _bases(self, source: Source, key: str, plan: PlatePlan, haze: float, radial: Radial) -> Bases:
        """Bases of the picture after haze was taken out, at neutral exposure and the balance as shot."""

        def make() -> Bases:
            small = self._lit(source, key, plan, radial)
            weights = source.luminance_weights(LightPlan(source.raw, source.as_shot_xy, source.as_shot_xy))
            if haze:
                hazy = LightPlan(source.raw, source.as_shot_xy, source.as_shot_xy, local=LocalPlan(haze=haze), plate=plan)
                air = self._air_planes(source, key, plan, haze, radial, small.shape[1:])
                view = small_whole(source, LONG_EDGE).numbers(weights, 0.0)
                none = np.zeros((4, *small.shape[1:]), np.float32)
                out = np.empty_like(small)
                local_gain(small, *LocalTables(none, air.planes, view, _parameters(hazy, air)).arguments(), 0, 0, out)
                small = out
            lightness_ev = ev(small, weights)
            return bases_of(lightness_ev, _noise_ev2(source, lightness_ev))

        stage: tuple[Any, ...] = (key, "bases", plan.recovery, plan.hot_pixels, haze, radial.key)
        return self._small.get(stage, make, lambda b: b.nbytes)


def _mends_blown(source: Source, level: int, hot_pixels: bool) -> bool:
    """Whether repairs have to do with anything blown, as plates that average ``level`` pixels tell."""
    assert source.mended is not None
    return as_seen(source.mended, level, hot_pixels).reaches(source.white_limits * np.float32(0.9), hot_pixels)


def _noise_ev2(source: Source, lightness_ev: Float32) -> Float32:
    """Variance of noise (h, w) in the EV (h, w) of small planes of the whole, as shot."""
    weights = source.luminance_weights(LightPlan(source.raw, source.as_shot_xy, source.as_shot_xy))
    height, width = lightness_ev.shape
    noise = source.noise(scale_of(source, Window(width, height, 0, 0, width, height)))
    # a root of deviation d has 2 d / root of relative noise; in stops that over ln 2
    root = np.sqrt(0.18 * 2.0**lightness_ev / max(float(weights.sum()), 1e-6) + noise.shift)
    deviation = float(np.sqrt(np.square(WEIGHTS) @ np.square(noise.deviation)))
    return np.asarray(((2 * deviation / math.log(2)) / root) ** 2, np.float32)


def _with_calm_passes(plan: LightPlan) -> PlatePlan:
    """The plate work where passes calm noise in full; as it is where none does."""
    if not any(p.scene.noise for p in scene_key(plan)):
        return plan.plate
    return replace(
        plan.plate, luminance_noise=max(plan.plate.luminance_noise, 1.0), colour_noise=max(plan.plate.colour_noise, 1.0)
    )


def calm(plan: PlatePlan) -> PlatePlan:
    """The plan without noise reduction: in small planes noise is averaged away."""
    return replace(plan, luminance_noise=0.0, colour_noise=0.0, best_noise=False)


def _parameters(plan: LightPlan, air: AirPlanes) -> LocalNumbers:
    """Numbers of the local kernel."""
    local = plan.local
    haze = vignette = (0.0,) * 5
    if local.haze:
        haze = (local.haze * (KEPT if local.haze > 0 else VEIL), *air.light, LEAST_TRANSMISSION)
    if local.vignette is not None:
        v = local.vignette
        fall = 1 / (0.02 + v.softness * (0.15 + v.reach))
        vignette = (v.strength_ev, 1 - v.reach, fall, (v.roundness + 1) / 2, v.spare_highlights)
    return float32_numbers(LocalNumbers, local.shadows, local.highlights, local.clarity, haze, vignette)
