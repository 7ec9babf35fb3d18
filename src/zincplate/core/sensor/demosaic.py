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

from zincplate.core.kernels.kernel_math import BLOCK, stack_floats
from zincplate.core.kernels.kernel_math import float_pointer as at
from zincplate.core.sensor.colour_shift import ColourShift, aligned_window, coloured

Float32 = NDArray[np.float32]

MARGIN = 8
"""Sites of context that the demosaicing needs around the part that is used (even)."""

EDGE = 4
"""Sites at the ends of a row that are left as they are (even)."""

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
        first += first & 1  # what lies side by side begins at an even site
        for x in range(columns):
            if x < first or x >= last:
                v = np.float32(source[_mirror(x0 + x, width)])
                line[x] = _root((v - (b1 if x & 1 else b0)) * (s1 if x & 1 else s0))
        inner, into = source[x0 + first : x0 + max(last, first)], line[first : max(last, first)]
        for x in range(len(into)):
            even = (x & 1) == 0
            v = (np.float32(inner[x]) - (b0 if even else b1)) * (s0 if even else s1)
            size = math.sqrt(abs(v))
            into[x] = size if v >= np.float32(0) else -size


@njit(**_PARALLEL)
def _square(planes):
    """Signed squares: back to linear."""
    channels, rows, columns = planes.shape
    for job in prange(channels * rows):
        line = planes[job // rows, job % rows]
        for x in range(columns):
            line[x] = line[x] * abs(line[x])


# The kernels below work out both colours of a row at every place and take one: what is read lies side by side then, and eight
# places are worked out at once. Results go through the stack, which nothing else points to.


@njit(inline="always")
def _ends_kept(line, out):
    """The sites at both ends of a row as they are."""
    last = len(line) - 1
    for x in range(EDGE):
        out[x], out[last - x] = line[x], line[last - x]


@njit(**_PARALLEL)
def _green(m, green):
    rows, columns = m.shape
    h, q, eps = np.float32(0.5), np.float32(0.25), np.float32(1e-6)
    for pair in prange(rows // 2):
        for p in range(2):
            y = 2 * np.int64(pair) + p
            out = green[y]
            _ends_kept(m[y], out)
            y3, y2, y1 = _mirror(y - 3, rows), _mirror(y - 2, rows), _mirror(y - 1, rows)
            z1, z2, z3 = _mirror(y + 1, rows), _mirror(y + 2, rows), _mirror(y + 3, rows)
            found = stack_floats()
            for start in range(EDGE, columns - EDGE, BLOCK):
                count = min(BLOCK, columns - EDGE - start)
                r3, a, b = (
                    at(m, y3 * columns + start - 3),
                    at(m, y2 * columns + start - 3),
                    at(m, y1 * columns + start - 3),
                )
                c = at(m, y * columns + start - 3)
                d, f, s3 = (
                    at(m, z1 * columns + start - 3),
                    at(m, z2 * columns + start - 3),
                    at(m, z3 * columns + start - 3),
                )
                for i in range(count):
                    x = i + 3
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
                    between = (along_row * ec + along_column * er) / (er + ec)
                    found[i] = between if (i & 1) == p else c[x]
                for i in range(count):
                    out[start + i] = found[i]


@njit(**_PARALLEL)
def _chroma(m, green, planes, squared):
    """Red and blue of ``planes`` by ``green``; ``squared``: as signed squares, and green's into the plane between them."""
    rows, columns = m.shape
    h, eps = np.float32(0.5), np.float32(1e-4)
    for pair in prange(rows // 2):
        for p in range(2):
            y = 2 * np.int64(pair) + p
            up, down = _mirror(y - 1, rows), _mirror(y + 1, rows)
            own, other = planes[2 * p, y], planes[2 - 2 * p, y]
            mine, theirs = stack_floats(), stack_floats()
            for start in range(2, columns - 2, BLOCK):
                count = min(BLOCK, columns - 2 - start)
                b, c, d = (
                    at(m, up * columns + start - 1),
                    at(m, y * columns + start - 1),
                    at(m, down * columns + start - 1),
                )
                gb, gc, gd = (
                    at(green, up * columns + start - 1),
                    at(green, y * columns + start - 1),
                    at(green, down * columns + start - 1),
                )
                for i in range(count):
                    x = i + 1
                    d1, d2 = b[x - 1] - gb[x - 1], d[x + 1] - gd[x + 1]
                    d3, d4 = b[x + 1] - gb[x + 1], d[x - 1] - gd[x - 1]
                    e1 = abs(d1 - d2) + abs(gb[x - 1] - gc[x]) + abs(gd[x + 1] - gc[x]) + eps
                    e2 = abs(d3 - d4) + abs(gb[x + 1] - gc[x]) + abs(gd[x - 1] - gc[x]) + eps
                    across = gc[x] + h * ((d1 + d2) * e2 + (d3 + d4) * e1) / (e1 + e2)
                    beside = gc[x] + h * (c[x - 1] - gc[x - 1] + c[x + 1] - gc[x + 1])
                    above = gc[x] + h * (b[x] - gb[x] + d[x] - gd[x])
                    here = (i & 1) == p
                    mine[i] = c[x] if here else beside
                    theirs[i] = across if here else above
                if squared:
                    for i in range(count):
                        own[start + i] = mine[i] * abs(mine[i])
                    for i in range(count):
                        other[start + i] = theirs[i] * abs(theirs[i])
                else:
                    for i in range(count):
                        own[start + i] = mine[i]
                    for i in range(count):
                        other[start + i] = theirs[i]
            # not valid, but numbers: what is cut from the planes may be read with what lies about it
            last = columns - 3
            own[0] = own[1] = own[2]
            own[last + 1] = own[last + 2] = own[last]
            other[0] = other[1] = other[2]
            other[last + 1] = other[last + 2] = other[last]
            if squared:
                line, out = green[y], planes[1, y]
                for x in range(columns):
                    out[x] = line[x] * abs(line[x])


@njit(**_PARALLEL)
def _refine(m, planes, refined):
    rows, columns = m.shape
    green = planes[1]
    h, eps, one = np.float32(0.5), np.float32(1e-7), np.float32(1)
    for pair in prange(rows // 2):
        for p in range(2):
            y = 2 * np.int64(pair) + p
            out = refined[y]
            _ends_kept(green[y], out)
            colour = planes[2 * p]
            u1, d1, u2, d2 = _mirror(y - 1, rows), _mirror(y + 1, rows), _mirror(y - 2, rows), _mirror(y + 2, rows)
            found = stack_floats()
            for start in range(EDGE, columns - EDGE, BLOCK):
                count = min(BLOCK, columns - EDGE - start)
                c, gc, cc = (
                    at(m, y * columns + start - 2),
                    at(green, y * columns + start - 2),
                    at(colour, y * columns + start - 2),
                )
                gu, gd = at(green, u1 * columns + start - 2), at(green, d1 * columns + start - 2)
                gu2, gd2 = at(green, u2 * columns + start - 2), at(green, d2 * columns + start - 2)
                cu, cd = at(colour, u1 * columns + start - 2), at(colour, d1 * columns + start - 2)
                cu2, cd2 = at(colour, u2 * columns + start - 2), at(colour, d2 * columns + start - 2)
                for i in range(count):
                    x = i + 2
                    k0 = gc[x] - c[x]
                    kl, kr, ku, kd = gc[x - 1] - cc[x - 1], gc[x + 1] - cc[x + 1], gu[x] - cu[x], gd[x] - cd[x]
                    kl2, kr2, ku2, kd2 = gc[x - 2] - cc[x - 2], gc[x + 2] - cc[x + 2], gu2[x] - cu2[x], gd2[x] - cd2[x]
                    el = abs(gc[x] - gc[x - 2]) + abs(gc[x - 1] - gc[x + 1]) + abs(kl - kl2) + abs(k0 - kl2)
                    er = abs(gc[x] - gc[x + 2]) + abs(gc[x - 1] - gc[x + 1]) + abs(kr - kr2) + abs(k0 - kr2)
                    eu = abs(gc[x] - gu2[x]) + abs(gu[x] - gd[x]) + abs(ku - ku2) + abs(k0 - ku2)
                    ed = abs(gc[x] - gd2[x]) + abs(gu[x] - gd[x]) + abs(kd - kd2) + abs(k0 - kd2)
                    wl, wr = one / (el * el + eps), one / (er * er + eps)
                    wu, wd = one / (eu * eu + eps), one / (ed * ed + eps)
                    better = c[x] + h * ((wl * kl + wr * kr + wu * ku + wd * kd) / (wl + wr + wu + wd) + k0)
                    found[i] = better if (i & 1) == p else gc[x]
                for i in range(count):
                    out[start + i] = found[i]


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
    _chroma(sites, planes[1], planes, False)
    _refine(sites, planes, scratch)
    if shift is None:
        _chroma(window, scratch, planes, True)
        return planes
    planes[1] = scratch
    coloured(window, planes, shift, *middle)
    _square(planes)
    return planes


@njit(inline="always")
def _add_line(line, x0, first, last, sums):
    """Adds a row of sites from ``x0`` on to sums of columns, mirrored before ``first`` and from ``last`` on."""
    for x in range(first):
        sums[x] += line[_mirror(x0 + x, len(line))]
    inner, into = line[x0 + first : x0 + last], sums[first:last]
    for x in range(len(into)):
        into[x] += np.int32(inner[x])
    for x in range(last, len(sums)):
        sums[x] += line[_mirror(x0 + x, len(line))]


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
    first = min(max(-x0, 0), columns * k)
    last = max(min(width - x0, columns * k), first)
    for y in prange(rows):
        # first the columns of a row of blocks, sites beside each other at once
        upper, lower = np.zeros(columns * k, np.int32), np.zeros(columns * k, np.int32)
        for j in range(n):
            yy = y0 + np.int64(y) * k + 2 * j
            _add_line(mosaic[_mirror(yy, height)], x0, first, last, upper)
            _add_line(mosaic[_mirror(yy + 1, height)], x0, first, last, lower)
        for x in range(columns):
            u, v = upper[x * k : x * k + k], lower[x * k : x * k + k]
            r, g, g2, b = np.int64(0), np.int64(0), np.int64(0), np.int64(0)
            for i in range(n):
                r += u[2 * i]
                g += u[2 * i + 1]
                g2 += v[2 * i]
                b += v[2 * i + 1]
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
