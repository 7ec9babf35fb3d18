"""Rebuilding blown highlights: a channel whose sensor was full is set from the channels still open.

In a bright area the ratios of the channels vary slowly even where their values do not (the colour constancy assumption of
Zhang & Brainard, "Estimation of saturated pixel values in digital color imaging", JOSA A 21, 2004, here with local ratios
instead of one global covariance). Ratios of open pixels, the brightest first, are carried into blown areas by push-pull on a
small picture; a ratio that cannot be, because it would set a full channel below its end, gives way to neutral. Each blown
pixel takes its open channels times these ratios. Where all channels were full no colour is known: there the picture runs to
neutral.

A pixel beside a blown area is a mixture with it, and lacks what the full channels lack in the share that it has of it. That
share is at most the least that any of its channels has of the blown colour as the sensor saw it, because the other part of
the mixture has no negative light.

All planes are balanced as shot, so neutral has the ratio one; ``limits`` are the values at which the sensor was full.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.kernels.kernel_math import KERNEL, exp_2, log_2, smoothstep

Float32 = NDArray[np.float32]

OPEN_FROM, OPEN_FULL = 0.5, 0.95
"""Shares of the sensor's range between which a pixel comes to tell the colour of the light beside it."""
FULL = 0.97
"""Share of the range from which a channel counts as full where pictures are gathered."""
NEUTRAL_WEIGHT = 0.05
"""Weight of neutral where nothing bright is near: most of what is blown is sky, lamps and glints."""
LEAST_BLOWN = 0.15
"""Share of a small pixel that has to be blown for its bounds to count."""
EVIDENCE = 1.5
"""Share of a small pixel that is evidence, times this, is its weight."""
MIXED_FROM = 0.04
BLOWN_FROM, BLOWN_SPAN = 0.93, 0.06
MOST = 4.0
"""No channel is set higher than this many times its full value: two stops, as far as ratios can be trusted."""
TINY = 1e-4
SMOOTHING_PX = 1.2
"""Of the small picture: what was bounded pixel by pixel runs together again."""


@dataclass(frozen=True)
class Surroundings:
    """What the picture around blown areas says about them."""

    ratios: Float32
    """(2, h, w) log2 of red / green and blue / green, small."""
    blown: Float32
    """(3, h, w) log2 of the rebuilt colour of the nearest blown area, small."""
    near: NDArray[np.uint8]
    """(H, W) 0..255: whether a blown pixel is beside this one."""

    @property
    def nbytes(self) -> int:
        """Bytes held."""
        return self.ratios.nbytes + self.blown.nbytes + self.near.nbytes


@njit(**KERNEL)
def _gather_blown(planes, limits, sums, count, full):
    """Blown pixels: marked in ``full``, counted and summed (4: weight, r, g, b) over each small pixel."""
    _, height, width = planes.shape
    _, rows, columns = sums.shape
    scale_red, scale_green, scale_blue = 1 / limits[0], 1 / limits[1], 1 / limits[2]
    for j in prange(rows):
        for y in range(j * height // rows, (j + 1) * height // rows):
            red, green, blue = planes[0, y], planes[1, y], planes[2, y]
            for x in range(width):
                r, g, b = red[x], green[x], blue[x]
                if max(r * scale_red, max(g * scale_green, b * scale_blue)) < np.float32(FULL):
                    continue
                i = x * columns // width
                full[y, x] = 255
                count[j, i] += np.float32(1)
                # of a pane between bars the middle counts, not what is already a mixture with the bars
                w = (r * scale_red * g * scale_green * b * scale_blue) ** 2 + np.float32(TINY)
                sums[0, j, i] += w
                sums[1, j, i] += w * r
                sums[2, j, i] += w * g
                sums[3, j, i] += w * b


@njit(**KERNEL)
def _gather_open(planes, limits, beside, sums):
    """Bright pixels that are open and not beside a blown one: mixtures with it have the colour that the sensor made of it."""
    _, height, width = planes.shape
    _, rows, columns = sums.shape
    scale_red, scale_green, scale_blue = 1 / limits[0], 1 / limits[1], 1 / limits[2]
    for j in prange(rows):
        for y in range(j * height // rows, (j + 1) * height // rows):
            red, green, blue = planes[0, y], planes[1, y], planes[2, y]
            for x in range(width):
                r, g, b = red[x], green[x], blue[x]
                share = max(r * scale_red, max(g * scale_green, b * scale_blue))
                if (share < np.float32(OPEN_FROM)) | (beside[y, x] > 0) | (min(r, min(g, b)) < np.float32(TINY)):
                    continue
                i = x * columns // width
                w = smoothstep((share - np.float32(OPEN_FROM)) * np.float32(1 / (OPEN_FULL - OPEN_FROM))) * share * share * share
                sums[0, j, i] += w
                sums[1, j, i] += w * r
                sums[2, j, i] += w * g
                sums[3, j, i] += w * b


def surroundings(planes: Float32, limits: Float32, columns: int, rows: int) -> Surroundings:
    """Planes (3, H, W) of the whole picture, fine enough that clipped pixels are still told apart -> what they say, small."""
    _, height, width = planes.shape
    open_sums, blown_sums = np.zeros((4, rows, columns), np.float32), np.zeros((4, rows, columns), np.float32)
    count, full = np.zeros((rows, columns), np.float32), np.zeros((height, width), np.uint8)
    _gather_blown(planes, limits, blown_sums, count, full)
    _gather_open(planes, limits, cv2.dilate(full, np.ones((3, 3), np.uint8)), open_sums)
    area = height * width / (rows * columns)
    weight = np.minimum(open_sums[0] / area * EVIDENCE, 1).astype(np.float32)
    ratios = _push_pull(_ratios((open_sums[1:] / np.maximum(open_sums[:1], 1e-6)).astype(np.float32)), weight)
    share = count / area
    mean: Float32 = (blown_sums[1:] / np.maximum(blown_sums[:1], 1e-9)).astype(np.float32)
    ratios = _bounded(ratios, mean, share > LEAST_BLOWN, limits)
    colour = np.empty_like(mean)
    nowhere = np.zeros((2, 2), np.uint8)
    rebuild(mean, Surroundings(ratios, np.zeros_like(mean), nowhere), limits, (columns, rows, 0, 0), colour)
    logs = np.log2(np.maximum(colour, TINY)).astype(np.float32)
    blown = _push_pull(logs, np.minimum(share * 4, 1).astype(np.float32))
    near = cv2.GaussianBlur(cv2.dilate(full, np.ones((3, 3), np.uint8)), (3, 3), 0)
    return Surroundings(ratios, blown, near)


def seen_at(found: Surroundings, width: int) -> Surroundings:
    """The same for windows at a size of the whole of ``width`` pixels: a pixel that covers many is near if one of them is."""
    whole = found.near.shape[1]
    if width >= 0.75 * whole:
        return found
    height = max(round(found.near.shape[0] * width / whole), 1)
    part = cv2.resize(found.near, (max(width, 1), height), interpolation=cv2.INTER_AREA).astype(np.float32)
    return Surroundings(found.ratios, found.blown, np.minimum(part * 6, 255).astype(np.uint8))


def _ratios(planes: Float32) -> Float32:
    logs = np.log2(np.maximum(planes, TINY))
    return np.stack([logs[0] - logs[1], logs[2] - logs[1]]).astype(np.float32)


def _bounded(ratios: Float32, mean: Float32, blown: NDArray[np.bool_], limits: Float32) -> Float32:
    """Ratios that the open channels of blown pixels allow: red / green is at most what it is with green at its end."""
    full = mean / limits[:, None, None] > FULL
    seen = _ratios(mean)
    result = ratios.copy()
    for i, channel in ((0, 0), (1, 2)):
        most = np.where(blown & full[1] & ~full[channel], seen[i], np.float32(99))
        least = np.where(blown & full[channel] & ~full[1], seen[i], np.float32(-99))
        cannot = (ratios[i] > most) | (ratios[i] < least)
        kept = np.where(cannot, np.clip(0, least, most), ratios[i])
        result[i] = np.where(blown, cv2.GaussianBlur(kept.astype(np.float32), (0, 0), SMOOTHING_PX), kept)
    return result


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


def rebuild(
    planes: Float32, around: Surroundings, limits: Float32, place: tuple[float, float, float, float], out: Float32
) -> None:
    """Planes (3, h, w) of a window -> planes with blown channels set anew.

    ``place`` is the size of the whole at the window's scale, and where the window begins in it.
    """
    _rebuild(planes, around.ratios, around.blown, around.near, limits, *place, out)


@njit(**KERNEL)
def _rebuild(planes, ratios, blown_colour, nearness, limits, width_all, height_all, x0, y0, out):
    _, height, width = planes.shape
    _, low_height, low_width = ratios.shape
    near_height, near_width = nearness.shape
    z, o, half = np.float32(0), np.float32(1), np.float32(0.5)
    tiny = np.float32(TINY)
    step_x, step_y = np.float32(low_width) / np.float32(width_all), np.float32(low_height) / np.float32(height_all)
    near_x, near_y = np.float32(near_width) / np.float32(width_all), np.float32(near_height) / np.float32(height_all)
    end_red, end_green, end_blue = limits[0], limits[1], limits[2]
    scale_red, scale_green, scale_blue = o / end_red, o / end_green, o / end_blue
    widest = max(end_red, max(end_green, end_blue))
    trust_red, trust_green, trust_blue = (end_red / widest) ** 8, (end_green / widest) ** 8, (end_blue / widest) ** 8
    first, span = np.float32(BLOWN_FROM), np.float32(1 / BLOWN_SPAN)
    for y in prange(height):
        v = min(max((np.float32(y0 + y) + half) * step_y - half, z), np.float32(low_height - 1))
        j = min(np.int32(v), np.int32(max(low_height - 2, 0)))
        k = min(np.int32(j + 1), np.int32(low_height - 1))
        fv = v - np.float32(j)
        # a window may begin beyond the picture
        beside = nearness[np.int32(min(max((np.float32(y0 + y) + half) * near_y, z), np.float32(near_height - 1)))]
        red, green, blue = planes[0, y], planes[1, y], planes[2, y]
        for x in range(width):
            r, g, b = red[x], green[x], blue[x]
            out[0, y, x], out[1, y, x], out[2, y, x] = r, g, b
            share = max(r * scale_red, max(g * scale_green, b * scale_blue))
            if share < np.float32(MIXED_FROM):
                continue
            near = np.float32(beside[np.int32(min(max((np.float32(x0 + x) + half) * near_x, z), np.float32(near_width - 1)))])
            if (near == z) & (share < first):
                continue
            near *= np.float32(1 / 255)
            u = min(max((np.float32(x0 + x) + half) * step_x - half, z), np.float32(low_width - 1))
            i = min(np.int32(u), np.int32(max(low_width - 2, 0)))
            i1 = min(np.int32(i + 1), np.int32(low_width - 1))
            fu = u - np.float32(i)
            w00, w01, w10, w11 = (o - fu) * (o - fv), fu * (o - fv), (o - fu) * fv, fu * fv
            off_red = ratios[0, j, i] * w00 + ratios[0, j, i1] * w01 + ratios[0, k, i] * w10 + ratios[0, k, i1] * w11
            off_blue = ratios[1, j, i] * w00 + ratios[1, j, i1] * w01 + ratios[1, k, i] * w10 + ratios[1, k, i1] * w11
            tr = smoothstep((r * scale_red - first) * span)
            tg = smoothstep((g * scale_green - first) * span)
            tb = smoothstep((b * scale_blue - first) * span)
            # beside a blown area a pixel mixes both: the channels that fill last are believed most
            wr = (o - tr + np.float32(1e-3)) * (o - near * (o - trust_red))
            wg = (o - tg + np.float32(1e-3)) * (o - near * (o - trust_green))
            wb = (o - tb + np.float32(1e-3)) * (o - near * (o - trust_blue))
            level = (wr * (log_2(max(r, tiny)) - off_red) + wg * log_2(max(g, tiny)) + wb * (log_2(max(b, tiny)) - off_blue)) / (
                wr + wg + wb
            )
            more_red = max(min(exp_2(level + off_red), np.float32(MOST) * end_red) - r, z)
            more_green = max(min(exp_2(level), np.float32(MOST) * end_green) - g, z)
            more_blue = max(min(exp_2(level + off_blue), np.float32(MOST) * end_blue) - b, z)
            add_red, add_green, add_blue = tr * more_red, tg * more_green, tb * more_blue
            if near > z:
                c0, c1, c2 = blown_colour[0], blown_colour[1], blown_colour[2]
                sr = exp_2(c0[j, i] * w00 + c0[j, i1] * w01 + c0[k, i] * w10 + c0[k, i1] * w11)
                sg = exp_2(c1[j, i] * w00 + c1[j, i1] * w01 + c1[k, i] * w10 + c1[k, i1] * w11)
                sb = exp_2(c2[j, i] * w00 + c2[j, i1] * w01 + c2[k, i] * w10 + c2[k, i1] * w11)
                mixed = min(r / min(sr, end_red), min(g / min(sg, end_green), b / min(sb, end_blue)))
                mixed = min(max(mixed, z), o) * near
                add_red = max(add_red, min(mixed * max(sr - end_red, z), more_red))
                add_green = max(add_green, min(mixed * max(sg - end_green, z), more_green))
                add_blue = max(add_blue, min(mixed * max(sb - end_blue, z), more_blue))
            r, g, b = r + add_red, g + add_green, b + add_blue
            blown = min(tr, min(tg, tb))
            top = max(r, max(g, b))
            out[0, y, x] = r + (top - r) * blown
            out[1, y, x] = g + (top - g) * blown
            out[2, y, x] = b + (top - b) * blown
