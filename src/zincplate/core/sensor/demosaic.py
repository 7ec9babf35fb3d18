"""Demosaicing of Bayer mosaics: gradient-corrected directional estimates, then one refinement.

Green comes from second-order corrected estimates along rows and columns (Hamilton & Adams, US 5,629,734, 1997, expired)
mixed by the inverse fourth power of the colour-difference activity in each direction; a second pass re-estimates the
colour difference from four neighbours, weighted by their gradients (the idea of Pekkucuksen & Altunbasak, "Gradient based
threshold free colour filter array interpolation", ICIP 2010); red and blue follow from colour differences.

All of it runs on square roots of the balanced values: colour differences are far more constant there across edges of
light and dark, and photon noise is even. Against the same steps on linear values this gains 2 to 5 dB (encoded) and 0.3
to 2.4 dB (linear) on the test scenes; see docs/decisions/0003-demosaic-on-square-roots.md.

Kernels read a *window*: float32 rows and columns whose first site is red, black taken off, balanced by the as-shot
neutral, signed square root. The outer ``MARGIN`` sites of a result are context only; :func:`window_of` mirrors at the
edges of the mosaic.
"""

import math

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.sensor.colour_shift import ColourShift, aligned_window, coloured

Float32 = NDArray[np.float32]

MARGIN = 8
"""Sites of context that the demosaicing needs around the part that is used (even)."""

_PARALLEL = {"parallel": True, "fastmath": True, "nogil": True, "cache": True}


@njit(inline="always")
def _mirror(i, n):
    """Reflect without repeating the edge: keeps the colour of the site."""
    if i < 0:
        i = -i
    if i >= n:
        i = 2 * n - 2 - i
    return i


@njit(inline="always", fastmath=True)
def _root(v):
    """Signed square root: noise about black stays symmetric."""
    return math.copysign(math.sqrt(abs(v)), v)


@njit(**_PARALLEL)
def window_of(mosaic, y0, x0, black, scale, out):
    """Copy a window of a uint16 mosaic to float32 with black taken off, each site scaled, and its signed square root taken.

    ``y0, x0`` may lie outside (mirrored) and must point at a red site; ``black`` and ``scale`` are (2, 2) by the parity
    of row and column counted from there. Values are clipped at the white level (1 after scaling).
    """
    rows, columns = out.shape
    height, width = mosaic.shape
    for y in prange(rows):
        source = mosaic[_mirror(y0 + y, height)]
        b0, b1 = black[y & 1, 0], black[y & 1, 1]
        s0, s1 = scale[y & 1, 0], scale[y & 1, 1]
        line = out[y]
        first, last = max(0, -x0), min(columns, width - x0)
        first += first & 1  # the pairs below begin at an even site
        for x in range(columns):
            if x < first or x >= last:
                v = np.float32(source[_mirror(x0 + x, width)])
                line[x] = _root((v - (b1 if x & 1 else b0)) * (s1 if x & 1 else s0))
        for i in range(first // 2, last // 2):
            line[2 * i] = _root((np.float32(source[x0 + 2 * i]) - b0) * s0)
            line[2 * i + 1] = _root((np.float32(source[x0 + 2 * i + 1]) - b1) * s1)
        if last & 1 and last > 0:
            line[last - 1] = _root((np.float32(source[x0 + last - 1]) - b0) * s0)


@njit(**_PARALLEL)
def _square(planes):
    """Signed squares: back to linear."""
    channels, rows, columns = planes.shape
    for job in prange(channels * rows):
        line = planes[job // rows, job % rows]
        for x in range(columns):
            line[x] = line[x] * abs(line[x])


@njit(**_PARALLEL)
def _green(m, green):
    rows, columns = m.shape
    h, q, eps = np.float32(0.5), np.float32(0.25), np.float32(1e-6)
    for pair in prange(rows // 2):
        for p in range(2):
            y = 2 * pair + p
            r3, a, b, c = m[_mirror(y - 3, rows)], m[_mirror(y - 2, rows)], m[_mirror(y - 1, rows)], m[y]
            d, f, s3 = m[_mirror(y + 1, rows)], m[_mirror(y + 2, rows)], m[_mirror(y + 3, rows)]
            out = green[y]
            for x in range(columns):
                out[x] = c[x]
            for i in range(2, columns // 2 - 2):
                x = 2 * i + p
                along_row = (c[x - 1] + c[x + 1]) * h + (c[x] + c[x] - c[x - 2] - c[x + 2]) * q
                along_column = (b[x] + d[x]) * h + (c[x] + c[x] - a[x] - f[x]) * q
                er = (
                    abs(c[x - 1] - c[x + 1])
                    + abs(c[x] + c[x] - c[x - 2] - c[x + 2])
                    + h
                    * (
                        abs(b[x - 1] - b[x + 1])
                        + abs(d[x - 1] - d[x + 1])
                        + abs(c[x - 3] - c[x - 1])
                        + abs(c[x + 3] - c[x + 1])
                        + abs(b[x] + b[x] - b[x - 2] - b[x + 2])
                        + abs(d[x] + d[x] - d[x - 2] - d[x + 2])
                    )
                )
                ec = (
                    abs(b[x] - d[x])
                    + abs(c[x] + c[x] - a[x] - f[x])
                    + h
                    * (
                        abs(b[x - 1] - d[x - 1])
                        + abs(b[x + 1] - d[x + 1])
                        + abs(r3[x] - b[x])
                        + abs(s3[x] - d[x])
                        + abs(c[x - 1] + c[x - 1] - a[x - 1] - f[x - 1])
                        + abs(c[x + 1] + c[x + 1] - a[x + 1] - f[x + 1])
                    )
                )
                er = er * er
                ec = ec * ec
                er = er * er + eps
                ec = ec * ec + eps
                out[x] = (along_row * ec + along_column * er) / (er + ec)


@njit(**_PARALLEL)
def _chroma(m, planes):
    rows, columns = m.shape
    red, green, blue = planes[0], planes[1], planes[2]
    h, eps = np.float32(0.5), np.float32(1e-4)
    for pair in prange(rows // 2):
        for p in range(2):
            y = 2 * pair + p
            up, down = _mirror(y - 1, rows), _mirror(y + 1, rows)
            b, c, d = m[up], m[y], m[down]
            gb, gc, gd = green[up], green[y], green[down]
            own, other = red[y], blue[y]
            if p == 1:
                own, other = blue[y], red[y]
            for i in range(1, columns // 2 - 1):
                x = 2 * i + p
                own[x] = c[x]
                d1, d2 = b[x - 1] - gb[x - 1], d[x + 1] - gd[x + 1]
                d3, d4 = b[x + 1] - gb[x + 1], d[x - 1] - gd[x - 1]
                e1 = abs(d1 - d2) + abs(gb[x - 1] - gc[x]) + abs(gd[x + 1] - gc[x]) + eps
                e2 = abs(d3 - d4) + abs(gb[x + 1] - gc[x]) + abs(gd[x - 1] - gc[x]) + eps
                other[x] = gc[x] + h * ((d1 + d2) * e2 + (d3 + d4) * e1) / (e1 + e2)
                x = 2 * i + 1 - p
                own[x] = gc[x] + h * (c[x - 1] - gc[x - 1] + c[x + 1] - gc[x + 1])
                other[x] = gc[x] + h * (b[x] - gb[x] + d[x] - gd[x])


@njit(**_PARALLEL)
def _refine(m, planes, refined):
    rows, columns = m.shape
    red, green, blue = planes[0], planes[1], planes[2]
    h, eps = np.float32(0.5), np.float32(1e-7)
    for pair in prange(rows // 2):
        for p in range(2):
            y = 2 * pair + p
            colour = red if p == 0 else blue
            u1, d1, u2, d2 = _mirror(y - 1, rows), _mirror(y + 1, rows), _mirror(y - 2, rows), _mirror(y + 2, rows)
            c, gc, gu, gd, gu2, gd2 = m[y], green[y], green[u1], green[d1], green[u2], green[d2]
            cc, cu, cd, cu2, cd2 = colour[y], colour[u1], colour[d1], colour[u2], colour[d2]
            out = refined[y]
            for x in range(columns):
                out[x] = gc[x]
            for i in range(2, columns // 2 - 2):
                x = 2 * i + p
                k0 = gc[x] - c[x]
                kl, kr, ku, kd = gc[x - 1] - cc[x - 1], gc[x + 1] - cc[x + 1], gu[x] - cu[x], gd[x] - cd[x]
                kl2, kr2, ku2, kd2 = gc[x - 2] - cc[x - 2], gc[x + 2] - cc[x + 2], gu2[x] - cu2[x], gd2[x] - cd2[x]
                el = abs(gc[x] - gc[x - 2]) + abs(gc[x - 1] - gc[x + 1]) + abs(kl - kl2) + abs(k0 - kl2)
                er = abs(gc[x] - gc[x + 2]) + abs(gc[x - 1] - gc[x + 1]) + abs(kr - kr2) + abs(k0 - kr2)
                eu = abs(gc[x] - gu2[x]) + abs(gu[x] - gd[x]) + abs(ku - ku2) + abs(k0 - ku2)
                ed = abs(gc[x] - gd2[x]) + abs(gu[x] - gd[x]) + abs(kd - kd2) + abs(k0 - kd2)
                wl, wr = 1 / (el * el + eps), 1 / (er * er + eps)
                wu, wd = 1 / (eu * eu + eps), 1 / (ed * ed + eps)
                out[x] = c[x] + h * ((wl * kl + wr * kr + wu * ku + wd * kd) / (wl + wr + wu + wd) + k0)


def demosaic_window(
    window: Float32, planes: Float32, scratch: Float32, shift: ColourShift | None = None, middle: tuple[float, float] = (0, 0)
) -> Float32:
    """Full-resolution linear RGB (3, rows, columns) of a window; ``planes`` is overwritten and returned.

    ``window`` has even sides of at least ``4 * MARGIN``; ``scratch`` has its shape. The outer ``MARGIN`` sites are not valid, nor
    those within the largest of a ``shift`` and three more. With a shift red and blue are put where green is; ``middle`` is then
    the picture's middle in the window (row and column of sites, 0 = middle of the first).
    """
    sites = window if shift is None else aligned_window(window, shift, *middle)
    _green(sites, planes[1])
    _chroma(sites, planes)
    _refine(sites, planes, scratch)
    planes[1] = scratch
    if shift is None:
        _chroma(window, planes)
    else:
        coloured(window, planes, shift, *middle)
    _square(planes)
    return planes


@njit(**_PARALLEL)
def bin_mosaic(mosaic, y0, x0, k, black, scale, out):
    """Average k x k sites (k even) from a red site at (y0, x0) on into one RGB pixel: the reduced plates.

    ``out`` is (3, rows, columns) float32, linear; blocks that reach beyond the mosaic are filled by mirroring. Highlights are not
    clipped beyond the white level that the mosaic itself carries.
    """
    _, rows, columns = out.shape
    height, width = mosaic.shape
    n = k // 2
    f1, f2 = np.float32(1.0 / (n * n)), np.float32(0.5)
    for y in prange(rows):
        for x in range(columns):
            r = np.int64(0)
            g = np.int64(0)
            g2 = np.int64(0)
            b = np.int64(0)
            for j in range(n):
                yy = y0 + y * k + 2 * j
                upper, lower = mosaic[_mirror(yy, height)], mosaic[_mirror(yy + 1, height)]
                xx = x0 + x * k
                if xx >= 0 and xx + k <= width:
                    for i in range(n):
                        r += upper[xx + 2 * i]
                        g += upper[xx + 2 * i + 1]
                        g2 += lower[xx + 2 * i]
                        b += lower[xx + 2 * i + 1]
                else:
                    for i in range(n):
                        left, right = _mirror(xx + 2 * i, width), _mirror(xx + 2 * i + 1, width)
                        r += upper[left]
                        g += upper[right]
                        g2 += lower[left]
                        b += lower[right]
            out[0, y, x] = (np.float32(r) * f1 - black[0, 0]) * scale[0, 0]
            out[1, y, x] = f2 * (
                (np.float32(g) * f1 - black[0, 1]) * scale[0, 1] + (np.float32(g2) * f1 - black[1, 0]) * scale[1, 0]
            )
            out[2, y, x] = (np.float32(b) * f1 - black[1, 1]) * scale[1, 1]


def demosaic_sites(sites_balanced: Float32, red: tuple[int, int]) -> Float32:
    """(h, w) balanced linear sites in floating point, nothing clipped -> (3, h, w) linear; ``red`` is the place of a red site."""
    height, width = sites_balanced.shape
    red_y, red_x = red[0] % 2, red[1] % 2
    top, left = MARGIN + red_y, MARGIN + red_x
    rows, columns = top + height + MARGIN, left + width + MARGIN
    rows, columns = max(rows + rows % 2, 4 * MARGIN), max(columns + columns % 2, 4 * MARGIN)
    y, x = np.arange(rows) - top, np.arange(columns) - left
    y, x = _reflected(y, height), _reflected(x, width)
    window = sites_balanced[y][:, x]
    window = np.ascontiguousarray(np.copysign(np.sqrt(np.abs(window)), window), np.float32)
    planes, scratch = np.empty((3, rows, columns), np.float32), np.empty((rows, columns), np.float32)
    demosaic_window(window, planes, scratch, None, (0.0, 0.0))
    return planes[:, top : top + height, left : left + width]


def _reflected(index: NDArray[np.intp], size: int) -> NDArray[np.intp]:
    """Indices mirrored at both ends as often as needed; sites keep their colour."""
    period = max(2 * size - 2, 1)
    index = np.abs(index) % period if size > 1 else np.zeros_like(index)
    return np.where(index >= size, period - index, index)
