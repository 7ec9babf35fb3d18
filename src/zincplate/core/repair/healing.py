"""Light from one place laid on another: as it is, or with its gradients and the light of the border (healing).

Work is done on roots of light, where the sensor's noise is even (Anscombe 1948): what is laid over keeps the grain that its
brightness asks for.
"""

from typing import Any

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.kernels.kernel_math import INLINE, KERNEL
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
ROUGH = 1e-3
"""From which on the membrane is drawn on cells of several pixels where the inside is large."""
MOST_CELLS = 6000


@njit(**INLINE)
def _root(raised):
    root = np.sqrt(abs(raised))
    return root if raised >= 0 else -root


@njit(**KERNEL)
def _roots(values, shift, out):
    for k in prange(values.size):
        out[k] = _root(values[k] + shift)


def to_roots(planes: Float32, shift: float) -> Float32:
    """Signed roots of plate values after ``shift`` was added."""
    out = np.empty(planes.shape, np.float32)
    _roots(np.ascontiguousarray(planes).ravel(), np.float32(shift), out.reshape(-1))
    return out


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
    border = border_of(inside, fit)
    if not border.any():
        return np.where(inside, source, target)
    light = light_of(np.where(border, target - source, 0).astype(np.float32), border, inside, fit, close)
    return np.where(inside, source + light, target)


def border_of(inside: Bool, fit: Bool | None = None) -> Bool:
    """The pixels whose light a heal takes on."""
    return rim(inside) if fit is None else rim(inside) & fit


def light_of(difference: Float32, border: Bool, inside: Bool, fit: Bool | None, close: float) -> Float32:
    """What is added inside so that the border has the target's light. ``difference`` (3, h, w), target less source in roots, is
    known on the border and 0 elsewhere; there is some border."""
    if close > ROUGH:
        return _roughly(difference, border, inside)
    weight = cv2.GaussianBlur(border.astype(np.float32), (0, 0), _CALM)
    calmed = np.stack([cv2.GaussianBlur(d, (0, 0), _CALM) for d in difference])
    near = weight > 1e-3
    calmed = np.where(near & ~inside, calmed / np.maximum(weight, 1e-6), 0).astype(np.float32)
    if fit is not None and not (border | ~rim(inside, 1)).all():
        # where the border cannot be compared it has the mean of what can
        blind = rim(inside, 1) & ~near
        for plane, one in zip(calmed, difference, strict=True):
            plane[blind] = one[border].mean()
    return poisson(calmed, inside, None, close)


def _roughly(difference: Float32, border: Bool, inside: Bool) -> Float32:
    """The same on cells of so many pixels that it takes no longer than a hand waits for."""
    h, w = inside.shape
    factor = 1
    while inside.sum() > MOST_CELLS * factor * factor:
        factor *= 2
    rows, columns = -(-h // factor), -(-w // factor)
    below, right = rows * factor - h, columns * factor - w

    def cells(plane: NDArray[Any]) -> Float32:
        padded = cv2.copyMakeBorder(plane.astype(np.float32), 0, below, 0, right, cv2.BORDER_CONSTANT, value=0)
        return np.asarray(cv2.resize(padded, (columns, rows), interpolation=cv2.INTER_AREA))

    share = cells(border)
    known = share > 0
    unknown = (cells(inside) > 0) & ~known
    given = np.stack([cells(plane) for plane in difference])
    for plane in given:
        mean = plane.sum() / share.sum()
        plane[known] /= share[known]
        plane[~known] = mean
    light = poisson(given, unknown, None, CLOSE_WHILE_MOVING)
    size = (columns * factor, rows * factor)
    return np.stack([cv2.resize(p, size, interpolation=cv2.INTER_LINEAR)[:h, :w] for p in light])


@njit(**KERNEL)
def _differences(target, source, border, shift, out):
    channels, h, w = target.shape
    for y in prange(h):
        for x in range(w):
            if border[y, x]:
                for c in range(channels):
                    out[c, y, x] = _root(target[c, y, x] + shift) - _root(source[c, y, x] + shift)


def root_differences(target: Float32, source: Float32, border: Bool, shift: float) -> Float32:
    """Target less source (3, h, w), plates, in roots, on a border; 0 elsewhere."""
    out = np.zeros(target.shape, np.float32)
    _differences(target, source, border, np.float32(shift), out)
    return out


@njit(**KERNEL)
def _compared(before, after, difference, changed, highest):
    channels, h, w = before.shape
    for y in prange(h):
        other = changed[y]
        for x in range(w):
            other[x] = False
        for c in range(channels):
            was, is_now, step = before[c, y], after[c, y], difference[c, y]
            for x in range(w):
                d = is_now[x] - was[x]
                step[x] = d
                other[x] = other[x] | (d != 0)
        for c in range(channels):
            was, is_now, top = before[c, y], after[c, y], highest[y, c]
            for x in range(w):
                top = max(top, max(was[x], is_now[x]) if other[x] else top)
            highest[y, c] = top


def compared(before: Float32, after: Float32) -> tuple[Float32, Bool, Float32]:
    """How far ``after`` is from ``before`` (3, h, w), where that is anything (h, w), and the highest value of each plane that
    either has there (3,)."""
    difference, changed = np.empty(before.shape, np.float32), np.empty(before.shape[1:], np.bool_)
    # kernels take it that nothing is infinite
    highest = np.full((before.shape[1], 3), -3e38, np.float32)
    _compared(before, after, difference, changed, highest)
    return difference, changed, np.asarray(highest.max(0), np.float32)


@njit(**KERNEL)
def _laid(target, source, light, cover, strength, shift, out):
    channels, h, w = target.shape
    lighter = light.size > 0
    for job in prange(channels * h):
        c, y = job // h, job % h
        under, over, share, line = target[c, y], source[c, y], cover[y], out[c, y]
        if lighter:
            added = light[c, y]
            for x in range(w):
                root = _root(over[x] + shift) + added[x]
                v = under[x] + share[x] * strength * (root * abs(root) - shift - under[x])
                line[x] = v if share[x] > 0 else under[x]
        else:
            for x in range(w):
                v = under[x] + share[x] * strength * (over[x] - under[x])
                line[x] = v if share[x] > 0 else under[x]


def laid(target: Float32, source: Float32, cover: Float32, strength: float, light: Float32 | None, shift: float) -> Float32:
    """``source`` over ``target`` (3, h, w), plates, by a cover (h, w) 0..1, in linear light; before that ``light`` is added to
    its roots."""
    out = np.empty(target.shape, np.float32)
    none = np.empty((0, 0, 0), np.float32)
    _laid(target, source, none if light is None else light, cover, np.float32(strength), np.float32(shift), out)
    return out


def grain_of(roots: Float32, radius_px: float = 2.5) -> Float32:
    """What of roots of light is finer than forms."""
    return np.stack([p - cv2.GaussianBlur(p, (0, 0), radius_px, borderType=cv2.BORDER_REFLECT) for p in roots])
