"""What passes ask of forms of a size, of glow and of noise: before the sums of :mod:`zincplate.pipeline.passes`, size by size."""

import math
from collections.abc import Callable
from functools import partial
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from zincplate.core.geometry.warp import warp_linear
from zincplate.core.kernels.numbers import float32_numbers
from zincplate.core.tone.evening import (
    COLOUR,
    LIGHT,
    SHINE,
    EvenedNumbers,
    EveningPlanes,
    evened,
    evening_planes,
    long_edge_of,
    tone_of,
)
from zincplate.core.tone.glow import glow_planes, glowing
from zincplate.core.tone.low_planes import LONG_EDGE, ev
from zincplate.pipeline.areas import Areas
from zincplate.pipeline.cache import ByteCache
from zincplate.pipeline.framing import Framed
from zincplate.pipeline.windows import Window, fitted_size
from zincplate.plan.light import LightPlan
from zincplate.plan.passes import PassPlan
from zincplate.plan.plate import PlatePlan

Float32 = NDArray[np.float32]


class SmallPlates(Protocol):
    """Small planes (3, h, w) of a frame's whole source, the lens's fall-off made up for."""

    def __call__(self, framed: Framed, key: str, plan: PlatePlan, long_edge: int) -> Float32: ...


def _forms_of(one: PassPlan) -> tuple[float, tuple[float, float, float] | None]:
    """What has to be alike for passes to be worked out in one."""
    return one.scene.forms_percent, one.scene.shine_tone


class Forms:
    """One per renderer. Small planes are kept by what they depend on."""

    def __init__(
        self, areas: Areas, small: SmallPlates, noise_ev2: Callable[[Framed, Float32], Float32], cache: ByteCache
    ) -> None:
        self._areas, self._small, self._noise_ev2, self._cache = areas, small, noise_ev2, cache

    def applied(
        self, framed: Framed, key: str, plan: LightPlan, passes: tuple[PassPlan, ...], planes: Float32, window: Window, keep: bool
    ) -> Float32:
        """Planes of a window after what passes ask of forms and glow."""
        kinds = {_forms_of(p) for p in passes if p.scene.of_forms}
        for size, picked in sorted(kinds, key=lambda kind: (kind[0], kind[1] or ())):
            asked = np.zeros((3, window.height, window.width), np.float32)
            for one in passes:
                if one.scene.of_forms and _forms_of(one) == (size, picked):
                    area = self._areas.within(framed, key, one.area, window, keep)
                    if area is None:
                        continue
                    for k, amount in ((COLOUR, one.scene.even_colour), (LIGHT, one.scene.even_light), (SHINE, one.scene.shine)):
                        if amount:
                            asked[k] += area * np.float32(amount * one.strength)
            if not asked.any():
                continue
            np.clip(asked, np.array([0, -1, 0], np.float32)[:, None, None], np.float32(1), out=asked)
            low = EveningPlanes(self._seen(framed, key, plan.plate, ("forms", size), long_edge_of(size)))
            weights, exposure_ev = framed.source.luminance_weights(plan), math.log2(plan.gain)
            tone = (1.0, *tone_of(picked, tuple(weights), exposure_ev)) if picked else (0.0,) * 4
            view = window.numbers(weights, exposure_ev)
            planes = evened(planes, low, asked, view, float32_numbers(EvenedNumbers, tone), window.x, window.y)
        for size in sorted({p.scene.glow_percent for p in passes if p.scene.glow}):
            share = np.zeros((window.height, window.width), np.float32)
            for one in passes:
                if one.scene.glow and one.scene.glow_percent == size:
                    area = self._areas.within(framed, key, one.area, window, keep)
                    if area is not None:
                        share += area * np.float32(one.scene.glow * one.strength)
            if share.any():
                spread = self._seen(framed, key, plan.plate, ("glow", size), LONG_EDGE)
                planes = glowing(planes, spread, share, window.full_width, window.full_height, window.x, window.y)
        return planes

    def beforehand(self, framed: Framed, key: str, plan: LightPlan, passes: tuple[PassPlan, ...]) -> list[Callable[[], object]]:
        """The small planes of the whole that :meth:`applied` reads, each to be made by itself."""
        forms = {p.scene.forms_percent for p in passes if p.scene.of_forms}
        glows = {p.scene.glow_percent for p in passes if p.scene.glow}
        kinds = [(("forms", size), long_edge_of(size)) for size in forms] + [(("glow", size), LONG_EDGE) for size in glows]
        return [partial(self._seen, framed, key, plan.plate, what, long_edge) for what, long_edge in kinds]

    def noise_share(self, framed: Framed, key: str, passes: tuple[PassPlan, ...], window: Window, keep: bool) -> Float32 | None:
        """(h, w) 0..1 how much of the noise passes take out at each place of a window; None for none."""
        share: Float32 | None = None
        for one in passes:
            area = self._areas.within(framed, key, one.area, window, keep) if one.scene.noise else None
            if area is not None:
                part = area * np.float32(one.scene.noise * one.strength)
                share = part if share is None else share + part
        return None if share is None or not share.any() else np.minimum(share, np.float32(1))

    def _seen(self, framed: Framed, key: str, plan: PlatePlan, what: tuple[str, float], long_edge: int) -> Float32:
        """Small planes of forms or glow of a size, as the framed picture sees them."""
        source = framed.source

        def make() -> Float32:
            small = self._small(framed, key, plan, long_edge)
            weights = source.luminance_weights(LightPlan(source.raw, source.as_shot_xy, source.as_shot_xy))
            lightness_ev = ev(small, weights)
            if what[0] == "glow":
                found = glow_planes(small, lightness_ev, what[1])
            else:
                found = evening_planes(small, lightness_ev, what[1], self._noise_ev2(framed, lightness_ev)).planes
            if framed.direct and (framed.width, framed.height) == (source.width, source.height):
                return found
            width, height = fitted_size(framed.width, framed.height, long_edge)
            across, down = small.shape[2], small.shape[1]
            whole = Window(across, down, 0, 0, across, down)
            sampling = framed.sampling(Window(width, height, 0, 0, width, height), whole)
            return warp_linear(found, sampling, framed.map.radial, width, height)

        stage = (key, what, plan.recovery, plan.hot_pixels, framed.key)
        return self._cache.get(stage, make, lambda a: a.nbytes)
