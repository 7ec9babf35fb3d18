"""Light from one place laid on another: as it is, or with its gradients and the light of the border (healing).

Work is done on roots of light, where the sensor's noise is even (Anscombe 1948): what is laid over keeps the grain that its
brightness asks for.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.repair.membrane import poisson

Float32 = NDArray[np.float32]
Bool = NDArray[np.bool_]

RIM_PX = 3
"""Pixels outside that say what light the border has."""
_CALM = 1.2
_ROOM = 9
"""Pixels about the inside that its border is calmed with."""
CLOSE, CLOSE_WHILE_MOVING = 1e-4, 4e-3
"""How near the membrane is to the exact one, of the range along the border: below anything that can be seen, and while a hand
moves."""


def to_roots(planes: Float32, shift: float) -> Float32:
    """Signed roots of plate values after ``shift`` was added."""
    raised = planes + np.float32(shift)
    return np.asarray(np.copysign(np.sqrt(np.abs(raised)), raised), np.float32)


def from_roots(roots: Float32, shift: float) -> Float32:
    """The opposite of :func:`to_roots`."""
    return np.asarray(roots * np.abs(roots) - np.float32(shift), np.float32)


def rim(inside: Bool, width_px: int = RIM_PX) -> Bool:
    """Pixels outside, no farther away than that."""
    size = 2 * width_px + 1
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size))
    return np.asarray((cv2.dilate(inside.astype(np.uint8), kernel) > 0) & ~inside)


def healed(target: Float32, source: Float32, inside: Bool, fit: Bool | None = None, close: float = CLOSE) -> Float32:
    """``source`` inside, with the light of ``target`` along the border: source plus the membrane of their difference (Perez
    et al. 2003, equations 2 and 4). Planes (3, h, w) of roots; outside stays ``target``.

    The difference is calmed along the border, so that single grains of it do not run in as streaks. ``fit`` says where the
    source can be seen; a border of which nothing can be seen lets the source stand as it is.
    """
    h, w = inside.shape
    ys, xs = np.nonzero(inside)
    if not len(ys):
        return np.array(target, np.float32)
    part = tuple(slice(max(int(a.min()) - _ROOM, 0), min(int(a.max()) + _ROOM + 1, n)) for a, n in ((ys, h), (xs, w)))
    if part[0].stop - part[0].start < h or part[1].stop - part[1].start < w:
        out = np.array(target, np.float32)
        of = (slice(None), *part)
        out[of] = healed(target[of], source[of], inside[part], None if fit is None else fit[part], close)
        return out
    border = rim(inside) if fit is None else rim(inside) & fit
    if not border.any():
        return np.where(inside, source, target)
    weight = cv2.GaussianBlur(border.astype(np.float32), (0, 0), _CALM)
    difference = np.where(border, target - source, 0).astype(np.float32)
    calmed = np.stack([cv2.GaussianBlur(d, (0, 0), _CALM) for d in difference])
    near = weight > 1e-3
    calmed = np.where(near & ~inside, calmed / np.maximum(weight, 1e-6), 0).astype(np.float32)
    if fit is not None and not (border | ~rim(inside, 1)).all():
        # where the border cannot be compared it has the mean of what can
        blind = rim(inside, 1) & ~near
        for plane in calmed:
            plane[blind] = plane[border].mean()
    return np.where(inside, source + poisson(calmed, inside, None, close), target)


def grain_of(roots: Float32, radius_px: float = 2.5) -> Float32:
    """What of roots of light is finer than forms."""
    return np.stack([p - cv2.GaussianBlur(p, (0, 0), radius_px, borderType=cv2.BORDER_REFLECT) for p in roots])


def mixed(target: Float32, result: Float32, cover: Float32) -> Float32:
    """``result`` over ``target`` by a cover (h, w) 0..1, in linear light."""
    return np.asarray(target + cover * (result - target), np.float32)
