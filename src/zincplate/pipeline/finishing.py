"""The finishing pass of views and strips: from planes to pixels when sharpening, grain or a border is wanted."""

from functools import cache, lru_cache

import numpy as np
from numpy.typing import NDArray

from zincplate.core.tone.finish import finish, grain_field, grain_tiles, sharpen_margin
from zincplate.pipeline.lit import Lit
from zincplate.pipeline.windows import Window
from zincplate.plan.finish import FinishPlan

Float32 = NDArray[np.float32]

LEAST_RADIUS_PX = 0.28
"""Below this a blur changes nothing that a pixel could show: small views leave sharpening out."""


@cache
def _tiles() -> list[Float32]:
    return grain_tiles()


@lru_cache(maxsize=3)
def _grain(x: int, y: int, width: int, height: int, long_edge: int, size_px: float) -> Float32:
    """Grain of a window; a view asks for the same one again and again while other controls move."""
    return grain_field(_tiles(), x, y, width, height, long_edge, size_px)


def margin_of(plan: FinishPlan, scale: float, edges_shown: bool = False) -> int:
    """Pixels of context that the finishing pass needs at a size relative to full size."""
    radius = plan.sharpen_radius_px * scale
    if edges_shown or ((plan.sharpen_amount > 0 or plan.sharpen_by_passes) and radius >= LEAST_RADIUS_PX):
        return sharpen_margin(radius)
    return 0


def finished(
    lighted: Lit,
    plan: FinishPlan,
    scale: float,
    window: Window,
    inner: tuple[slice, slice],
    out: NDArray[np.uint8] | NDArray[np.uint16],
    sharper: Float32 | None = None,
) -> None:
    """Light with context -> pixels of ``window``, which is the part ``inner`` of them. ``sharper`` (h, w) of the window: what
    passes ask for (:func:`zincplate.pipeline.passes.sharper_of`)."""
    encoded = lighted.to_float()
    radius = plan.sharpen_radius_px * scale
    amount = plan.sharpen_amount if radius >= LEAST_RADIUS_PX else 0.0
    grain = None
    if plan.grain_amount:
        long_edge = max(window.full_width, window.full_height)
        grain = _grain(window.x, window.y, window.width, window.height, long_edge, plan.grain_size_px)
    finish(
        encoded,
        amount=amount,
        radius_px=radius,
        threshold=plan.sharpen_threshold,
        edges=plan.sharpen_edges,
        grain=grain,
        grain_amount=plan.grain_amount,
        sharper=sharper if radius >= LEAST_RADIUS_PX else None,
        border_px=plan.border_share * min(window.full_width, window.full_height),
        border_value=plan.border_grey,
        scale=scale,
        place=(window.x, window.y),
        full=(window.full_width, window.full_height),
        inner=inner,
        out=out,
    )
