"""Rebuilding blown highlights: a channel whose sensor was full is set from the channels still open.

In a bright area the ratios of the channels vary slowly even where their values do not (the colour constancy assumption of
Zhang & Brainard, "Estimation of saturated pixel values in digital color imaging", JOSA A 21, 2004, here with local ratios
instead of one global covariance). Ratios of open pixels are carried into blown areas by push-pull on a small picture, then
each full-size pixel takes its open channels times these ratios. Where all channels were full no colour is known: there the
picture runs to neutral.
"""

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.kernel_math import INLINE, KERNEL, exp_2, log_2

Float32 = NDArray[np.float32]

OPEN_FROM, OPEN_FULL = 0.3, 0.6
"""Shares of the sensor's range between which a pixel comes to tell the colour of the light beside it."""
NEUTRAL_WEIGHT = 0.05
"""Weight of neutral where nothing bright is near: most of what is blown is sky, lamps and glints."""
MIXED_FROM = 0.12
"""Share of the range from which a pixel beside a blown area may be a mixture with it."""
BLOWN_FROM, BLOWN_SPAN = 0.93, 0.06
MOST = 4.0
"""No channel is set higher than this many times its full value: two stops, as far as ratios can be trusted."""


def ratios_of(small: Float32, limits: Float32) -> Float32:
    """Small planes (3, h, w) -> (3, h, w): log2 of red / green and blue / green beside blown areas, and nearness 0..1 to one."""
    share = (small / limits[:, None, None]).max(0).astype(np.float32)
    blown = _smoothstep((share - 0.70) / 0.22)
    near = cv2.GaussianBlur(cv2.dilate(blown, np.ones((3, 3), np.uint8)), (3, 3), 0.8)
    # small pixels beside a blown area hold some blown sites themselves and would tell too little of the first channel to fill
    apart = 1 - cv2.dilate(blown, np.ones((5, 5), np.uint8))
    weight = (_smoothstep((share - OPEN_FROM) / (OPEN_FULL - OPEN_FROM)) * apart * (small.min(0) > 1e-4)).astype(np.float32)
    logs = np.log2(np.maximum(small, 1e-4))
    ratio = np.stack([logs[0] - logs[1], logs[2] - logs[1]]).astype(np.float32)
    return np.concatenate([_push_pull(ratio, weight), near[None].astype(np.float32)])


def _smoothstep(t: NDArray[np.float32]) -> Float32:
    t = np.clip(t, 0, 1)
    return np.asarray(t * t * (3 - 2 * t), np.float32)


def _push_pull(values: Float32, weight: Float32) -> Float32:
    """Weighted values carried into places of no weight, from the nearest scale that has some."""
    if min(weight.shape) <= 2 or float(weight.min()) > 0.2:
        total = float(weight.sum()) + NEUTRAL_WEIGHT * weight.size
        mean = (values * weight).sum((1, 2), keepdims=True) / total
        return np.asarray(np.where(weight > 0.2, values, mean), np.float32)
    h, w = weight.shape
    half = ((w + 1) // 2, (h + 1) // 2)
    coarse_weight = cv2.resize(weight, half, interpolation=cv2.INTER_AREA)
    coarse = np.stack([cv2.resize(v * weight, half, interpolation=cv2.INTER_AREA) for v in values])
    coarse = coarse / np.maximum(coarse_weight, 1e-6)
    below = _push_pull(coarse.astype(np.float32), np.minimum(coarse_weight * 2, 1).astype(np.float32))
    up = np.stack([cv2.resize(v, (w, h), interpolation=cv2.INTER_LINEAR) for v in below])
    mix = np.minimum(weight, 1)
    return np.asarray(values * mix + up * (1 - mix), np.float32)


@njit(**INLINE)
def _smooth(t):
    t = min(max(t, np.float32(0)), np.float32(1))
    return t * t * (np.float32(3) - t - t)


@njit(**KERNEL)
def rebuild(planes, ratios, limits, width_all, height_all, x0, y0, out):
    """Planes (3, h, w) of a window at (x0, y0) of the whole at this scale -> planes with blown channels set anew."""
    _, height, width = planes.shape
    _, low_height, low_width = ratios.shape
    z, o, half = np.float32(0), np.float32(1), np.float32(0.5)
    step_x, step_y = np.float32(low_width) / np.float32(width_all), np.float32(low_height) / np.float32(height_all)
    scale_red, scale_green, scale_blue = o / limits[0], o / limits[1], o / limits[2]
    widest = max(limits[0], max(limits[1], limits[2]))
    trust_red, trust_green, trust_blue = (limits[0] / widest) ** 8, (limits[1] / widest) ** 8, (limits[2] / widest) ** 8
    first = np.float32(BLOWN_FROM)
    span = np.float32(1 / BLOWN_SPAN)
    for y in prange(height):
        v = min(max((np.float32(y0 + y) + half) * step_y - half, z), np.float32(low_height - 1))
        j = min(np.int32(v), np.int32(max(low_height - 2, 0)))
        k = min(np.int32(j + 1), np.int32(low_height - 1))
        fv = v - np.float32(j)
        red, green, blue = planes[0, y], planes[1, y], planes[2, y]
        for x in range(width):
            r, g, b = red[x], green[x], blue[x]
            out[0, y, x], out[1, y, x], out[2, y, x] = r, g, b
            share = max(r * scale_red, max(g * scale_green, b * scale_blue))
            if share < np.float32(MIXED_FROM):
                continue
            u = min(max((np.float32(x0 + x) + half) * step_x - half, z), np.float32(low_width - 1))
            i = min(np.int32(u), np.int32(max(low_width - 2, 0)))
            i1 = min(np.int32(i + 1), np.int32(low_width - 1))
            fu = u - np.float32(i)
            n0 = ratios[2, j, i] + (ratios[2, j, i1] - ratios[2, j, i]) * fu
            n1 = ratios[2, k, i] + (ratios[2, k, i1] - ratios[2, k, i]) * fu
            near = (n0 + (n1 - n0) * fv) * _smooth((share - np.float32(MIXED_FROM)) * np.float32(4))
            if (near < np.float32(1e-3)) & (share < first):
                continue
            rr0 = ratios[0, j, i] + (ratios[0, j, i1] - ratios[0, j, i]) * fu
            rr1 = ratios[0, k, i] + (ratios[0, k, i1] - ratios[0, k, i]) * fu
            rb0 = ratios[1, j, i] + (ratios[1, j, i1] - ratios[1, j, i]) * fu
            rb1 = ratios[1, k, i] + (ratios[1, k, i1] - ratios[1, k, i]) * fu
            off_red, off_blue = rr0 + (rr1 - rr0) * fv, rb0 + (rb1 - rb0) * fv
            tr = _smooth((r * scale_red - first) * span)
            tg = _smooth((g * scale_green - first) * span)
            tb = _smooth((b * scale_blue - first) * span)
            tiny = np.float32(1e-4)
            # beside a blown area a pixel mixes both: the channels that fill last are believed most
            wr = (o - tr + np.float32(1e-3)) * (o - near * (o - trust_red))
            wg = (o - tg + np.float32(1e-3)) * (o - near * (o - trust_green))
            wb = (o - tb + np.float32(1e-3)) * (o - near * (o - trust_blue))
            level = (wr * (log_2(max(r, tiny)) - off_red) + wg * log_2(max(g, tiny)) + wb * (log_2(max(b, tiny)) - off_blue)) / (
                wr + wg + wb
            )
            er = min(exp_2(level + off_red), np.float32(MOST) * limits[0])
            eg = min(exp_2(level), np.float32(MOST) * limits[1])
            eb = min(exp_2(level + off_blue), np.float32(MOST) * limits[2])
            r += max(tr, near) * max(er - r, z)
            g += max(tg, near) * max(eg - g, z)
            b += max(tb, near) * max(eb - b, z)
            blown = min(tr, min(tg, tb))
            top = max(r, max(g, b))
            out[0, y, x] = r + (top - r) * blown
            out[1, y, x] = g + (top - g) * blown
            out[2, y, x] = b + (top - b) * blown
