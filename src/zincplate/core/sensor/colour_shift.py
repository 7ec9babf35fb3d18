"""Lateral colour undone within demosaicing: red and blue sites are read where the lens has put their light.

Interpolating green from red and blue sites, and red and blue from green, takes for granted that the three agree in place. Where a
lens draws red larger than green they do not, and a shift of the finished planes comes too late: fine detail of green already
stands in red at the wrong place. So here

1. red and blue sites are filled from their own lattice at the place where their light fell (cubic convolution, Keys 1981, "Cubic
   convolution interpolation for digital image processing", IEEE Trans. ASSP 29(6)): a mosaic whose colours agree in place, but
   whose red and blue have lost detail between the sites;
2. that mosaic is demosaiced as usual, of which only green is kept;
3. colour differences are taken at the true sites, against green at the place where *it* shows what the site saw, and are read
   back (linearly) at the shifted place: red and blue get green's detail and no value of theirs is interpolated twice.

The measured gain stands in docs/decisions/0014-lateral-colour-in-demosaicing.md.
"""

import math
from dataclasses import dataclass
from hashlib import blake2b

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.geometry.radial import Radial
from zincplate.core.kernels.kernel_math import float_pointer, stack_floats

Float32 = NDArray[np.float32]

STEPS = 1024
EASY = np.float32(0.5)
"""How far from the middle between its samples a place may be: the same samples serve a run as long as all its places are between
them, so that a picture does not depend on where its runs begin."""
RUN = 32
"""Sites over which a shift is taken to be linear."""
_HELPER = {"fastmath": True, "error_model": "numpy", "nogil": True}
_PARALLEL = {"parallel": True, "fastmath": True, "nogil": True, "cache": True, "error_model": "numpy"}


@dataclass(frozen=True, eq=False)
class ColourShift:
    """How much further out than green red and blue fell, by the radius in the file."""

    step_px: float
    shares: Float32
    """(2, STEPS + 1) for red and blue: (radius in the file - radius of green) / radius of green, by either."""
    key: bytes
    """Short digest, for caches."""

    @property
    def largest_px(self) -> float:
        """The largest shift there is."""
        radius = np.arange(self.shares.shape[1]) * self.step_px
        return float(np.abs(self.shares * radius).max())


def colour_shift(radial: Radial, half_diagonal_px: float) -> ColourShift | None:
    """Lateral colour of a correction, None where there is none that matters (1/200 pixel)."""
    if radial.shared:
        return None
    step_px = half_diagonal_px * 1.01 / STEPS
    at = np.arange(STEPS + 1) * step_px
    radii = np.arange(radial.scales.shape[1]) * radial.step_px
    in_file = radii * radial.scales[1]
    shares = np.stack([np.interp(at, in_file, radial.scales[c] / radial.scales[1] - 1) for c in (0, 2)]).astype(np.float32)
    found = ColourShift(step_px, shares, blake2b(shares.tobytes() + np.float64(step_px).tobytes(), digest_size=12).digest())
    return found if found.largest_px >= 0.005 else None


@njit(**_HELPER)
def _share(shares, radius, inverse_step):
    at = min(radius * inverse_step, np.float32(STEPS - 1e-3))
    i = np.int32(at)
    return shares[i] + (shares[i + 1] - shares[i]) * (at - np.float32(i))


@njit(**_HELPER)
def _weights(t):
    """Cubic convolution (a = -1/2) between the second and the third of four samples."""
    h, one = np.float32(0.5), np.float32(1)
    first, last = -h * t * (one - t) * (one - t), -h * t * t * (one - t)
    second = one - t * t * (np.float32(2.5) - np.float32(1.5) * t)
    return first, second, one - first - second - last, last


@njit(**_HELPER)
def _cubic(plane, y, x, step, first):
    """Value between samples ``step`` apart from ``first`` on, by cubic convolution (a = -1/2); the edge is drawn out."""
    rows, columns = (plane.shape[0] - first + step - 1) // step, (plane.shape[1] - first + step - 1) // step
    iy = min(max(np.int32(math.floor(y)), 1), rows - 3)
    ix = min(max(np.int32(math.floor(x)), 1), columns - 3)
    t = min(max(np.float32(x - ix), np.float32(0)), np.float32(1))
    u = min(max(np.float32(y - iy), np.float32(0)), np.float32(1))
    w0, w1, w2, w3 = _weights(t)
    v0, v1, v2, v3 = _weights(u)
    k = first + step * (ix - 1)
    a, b = plane[first + step * (iy - 1)], plane[first + step * iy]
    c, d = plane[first + step * (iy + 1)], plane[first + step * (iy + 2)]
    k1, k2, k3 = k + step, k + 2 * step, k + 3 * step
    return (
        v0 * (w0 * a[k] + w1 * a[k1] + w2 * a[k2] + w3 * a[k3])
        + v1 * (w0 * b[k] + w1 * b[k1] + w2 * b[k2] + w3 * b[k3])
        + v2 * (w0 * c[k] + w1 * c[k1] + w2 * c[k2] + w3 * c[k3])
        + v3 * (w0 * d[k] + w1 * d[k1] + w2 * d[k2] + w3 * d[k3])
    )


@njit(**_HELPER)
def _shift_of(shares, u, v, inverse_step, back):
    """How far along its radius the light of a place fell, as a share; with ``back`` the way from where it fell to green."""
    radius = math.sqrt(u * u + v * v)
    share = _share(shares, radius, inverse_step)
    if back:
        # the share is that of green's own radius: one step of a fixed point, as shares hardly change over a shift
        share = _share(shares, radius / (np.float32(1) + share), inverse_step)
        share = np.float32(1) / (np.float32(1) + share) - np.float32(1)
    return share


@njit(**_HELPER)
def _read_row(plane, y, first_site, sites, shares, inverse_step, middle_y, middle_x, back, lattice, out):
    """Values of ``sites`` places, every second column from ``first_site`` of row ``y`` on, each read at its shifted place, from
    the lattice of every second site (``lattice`` 2) or from every one (1).

    A shift hardly changes from one site to the next. So it is worked out at both ends of every run and is linear between them,
    with the same samples all along: the loop over a run has no search in it.
    """
    first = first_site if lattice == 2 else 0
    rows, columns = (plane.shape[0] - first + lattice - 1) // lattice, (plane.shape[1] - first + lattice - 1) // lattice
    v = np.float32(y - middle_y)
    inverse, h = np.float32(1 / lattice), np.float32(0.5)
    found = stack_floats()
    for start in range(0, sites, RUN):
        count = min(RUN, sites - start)
        left, right = first_site + 2 * start, first_site + 2 * (start + count - 1)
        ul, ur = np.float32(left - middle_x), np.float32(right - middle_x)
        sl, sr = _shift_of(shares, ul, v, inverse_step, back), _shift_of(shares, ur, v, inverse_step, back)
        xl, xr = (left - first + ul * sl) * inverse, (right - first + ur * sr) * inverse
        yl, yr = (y - first + v * sl) * inverse, (y - first + v * sr) * inverse
        iy = np.int32(math.floor((yl + yr) * h))
        # how far the samples of a site stand from the site's own, in the middle of the run
        own_left, own_right = (left - first) // lattice, (right - first) // lattice
        off = np.int32(math.floor((xl - own_left + xr - own_right) * h))
        low, high = own_left + off - 1, own_right + off + 2
        t0, t1 = xl - np.float32(own_left + off), xr - np.float32(own_right + off)
        u0, u1 = yl - np.float32(iy), yr - np.float32(iy)
        uneven = max(max(abs(t0 - h), abs(t1 - h)), max(abs(u0 - h), abs(u1 - h))) > EASY
        if uneven or iy < 1 or iy > rows - 3 or low < 0 or high >= columns:
            for i in range(count):
                x = left + 2 * i
                u = np.float32(x - middle_x)
                share = _shift_of(shares, u, v, inverse_step, back)
                at_y, at_x = (y - first + v * share) * inverse, (x - first + u * share) * inverse
                out[start + i] = _cubic(plane, at_y, at_x, lattice, first)
            continue
        k = first + lattice * (own_left + off - 1)
        wide = plane.shape[1]
        a = float_pointer(plane, np.int64((first + lattice * (iy - 1)) * wide + k))
        b = float_pointer(plane, np.int64((first + lattice * iy) * wide + k))
        c = float_pointer(plane, np.int64((first + lattice * (iy + 1)) * wide + k))
        d = float_pointer(plane, np.int64((first + lattice * (iy + 2)) * wide + k))
        dt, du = np.float32(0), np.float32(0)
        if count > 1:
            dt, du = (t1 - t0) / np.float32(count - 1), (u1 - u0) / np.float32(count - 1)
        for i in range(count):
            t, u = t0 + dt * np.float32(i), u0 + du * np.float32(i)
            w0, w1, w2, w3 = _weights(t)
            v0, v1, v2, v3 = _weights(u)
            # every second column, whatever the lattice
            k0 = 2 * i
            k1, k2, k3 = k0 + lattice, k0 + 2 * lattice, k0 + 3 * lattice
            found[i] = (
                v0 * (w0 * a[k0] + w1 * a[k1] + w2 * a[k2] + w3 * a[k3])
                + v1 * (w0 * b[k0] + w1 * b[k1] + w2 * b[k2] + w3 * b[k3])
                + v2 * (w0 * c[k0] + w1 * c[k1] + w2 * c[k2] + w3 * c[k3])
                + v3 * (w0 * d[k0] + w1 * d[k1] + w2 * d[k2] + w3 * d[k3])
            )
        for i in range(count):
            out[start + i] = found[i]


@njit(**_PARALLEL)
def _aligned(m, shares, inverse_step, middle_y, middle_x, out):
    """Step 1: ``out`` is the mosaic window with its red and blue sites filled from where their light fell."""
    rows, columns = m.shape
    for y in prange(rows):
        p = y & 1
        line, found, own = out[y], np.empty(columns // 2, np.float32), m[y]
        _read_row(m, y, p, columns // 2, shares[p], inverse_step, middle_y, middle_x, False, 2, found)
        for i in range(columns // 2):
            line[2 * i + p] = found[i]
            line[2 * i + 1 - p] = own[2 * i + 1 - p]


@njit(**_PARALLEL)
def _differences(m, green, shares, inverse_step, middle_y, middle_x, out):
    """Step 3, first half: (2, rows / 2, columns / 2) red and blue sites less green where it shows what they saw."""
    rows, columns = m.shape
    for y in prange(rows):
        p = y & 1
        line, own = out[p, y // 2], m[y]
        _read_row(green, y, p, columns // 2, shares[p], inverse_step, middle_y, middle_x, True, 1, line)
        for i in range(columns // 2):
            line[i] = own[2 * i + p] - line[i]


@njit(**_HELPER)
def _linear(difference, y, x):
    """Between four differences."""
    iy = min(max(np.int32(math.floor(y)), 0), difference.shape[0] - 2)
    ix = min(max(np.int32(math.floor(x)), 0), difference.shape[1] - 2)
    t = min(max(np.float32(x - ix), np.float32(0)), np.float32(1))
    s = min(max(np.float32(y - iy), np.float32(0)), np.float32(1))
    top, below = difference[iy], difference[iy + 1]
    upper = top[ix] + (top[ix + 1] - top[ix]) * t
    return upper + (below[ix] + (below[ix + 1] - below[ix]) * t - upper) * s


@njit(**_PARALLEL)
def _with_differences(m, green, differences, shares, inverse_step, middle_y, middle_x, planes):
    """Step 3, second half: red and blue everywhere."""
    rows, columns = green.shape
    h = np.float32(0.5)
    for job in prange(2 * rows):
        p, y = job // rows, job % rows
        out, table, v = planes[2 * p, y], shares[p], np.float32(y - middle_y)
        difference, gy, found = differences[p], green[y], stack_floats()
        for start in range(0, columns, 2 * RUN):
            count = min(2 * RUN, columns - start)
            right = start + count - 1
            ul, ur = np.float32(start - middle_x), np.float32(right - middle_x)
            sl, sr = _shift_of(table, ul, v, inverse_step, False), _shift_of(table, ur, v, inverse_step, False)
            xl, xr = (start - p + ul * sl) * h, (right - p + ur * sr) * h
            yl, yr = (y - p + v * sl) * h, (y - p + v * sr) * h
            iy = np.int32(math.floor((yl + yr) * h))
            s0, s1 = yl - np.float32(iy), yr - np.float32(iy)
            step, ds = np.float32(0), np.float32(0)
            if count > 1:
                step, ds = (xr - xl) / np.float32(count - 1), (s1 - s0) / np.float32(count - 1)
            rows_inside = iy >= 0 and iy < rows // 2 - 1 and max(abs(s0 - h), abs(s1 - h)) <= EASY
            # every second pixel goes one difference further: two loops without a search in them
            drift = step + step - np.float32(1)
            for q in range(2):
                n = (count - q + 1) // 2
                x0 = xl + step * np.float32(q)
                off = np.int32(math.floor(x0 + drift * np.float32(n - 1) * h))
                t0 = x0 - np.float32(off)
                t1 = t0 + drift * np.float32(n - 1)
                if rows_inside and off >= 0 and off + n < columns // 2 and max(abs(t0 - h), abs(t1 - h)) <= EASY:
                    top, below = difference[iy, off : off + n + 1], difference[iy + 1, off : off + n + 1]
                    for k in range(n):
                        t, s = t0 + drift * np.float32(k), s0 + ds * np.float32(q + 2 * k)
                        upper = top[k] + (top[k + 1] - top[k]) * t
                        found[k] = upper + (below[k] + (below[k + 1] - below[k]) * t - upper) * s
                    for k in range(n):
                        out[start + q + 2 * k] = gy[start + q + 2 * k] + found[k]
                else:
                    for x in range(start + q, start + count, 2):
                        u = np.float32(x - middle_x)
                        share = _shift_of(table, u, v, inverse_step, False)
                        out[x] = gy[x] + _linear(difference, (y - p + v * share) * h, (x - p + u * share) * h)


@njit(**_PARALLEL)
def _not_below(m, shares, inverse_step, middle_y, middle_x, planes):
    """No value of red and blue goes below zero where none of the four sites about it did."""
    rows, columns = m.shape
    h, zero = np.float32(0.5), np.float32(0)
    for job in prange(2 * rows):
        p, y = job // rows, job % rows
        line, table, v = planes[2 * p, y], shares[p], np.float32(y - middle_y)
        below = zero  # a sum, since LLVM does not vectorise a running minimum
        for x in range(columns):
            below += min(line[x], zero)
        if below < 0:
            for x in range(columns):
                if line[x] < 0:
                    u = np.float32(x - middle_x)
                    share = _shift_of(table, u, v, inverse_step, False)
                    a = min(max(np.int32((y - p + v * share) * h), 0), rows // 2 - 2) * 2 + p
                    b = min(max(np.int32((x - p + u * share) * h), 0), columns // 2 - 2) * 2 + p
                    least = min(min(m[a, b], m[a, b + 2]), min(m[a + 2, b], m[a + 2, b + 2]))
                    line[x] = max(line[x], min(least, zero))


def aligned_window(window: Float32, shift: ColourShift, middle_y: float, middle_x: float) -> Float32:
    """Step 1 for a window as :mod:`.demosaic` reads it. The picture's middle is at
    (``middle_y``, ``middle_x``) of it, in sites (0 = middle of the first)."""
    out = np.empty_like(window)
    _aligned(window, shift.shares, np.float32(1 / shift.step_px), middle_y, middle_x, out)
    return out


def coloured(window: Float32, planes: Float32, shift: ColourShift, middle_y: float, middle_x: float) -> None:
    """Step 3: red and blue of ``planes`` (3, rows, columns; square roots, green right) from the window's own sites, in place."""
    rows, columns = window.shape
    differences = np.empty((2, rows // 2, columns // 2), np.float32)
    place = (shift.shares, np.float32(1 / shift.step_px), middle_y, middle_x)
    _differences(window, planes[1], *place, differences)
    _with_differences(window, planes[1], differences, *place, planes)
    _not_below(window, *place, planes)
