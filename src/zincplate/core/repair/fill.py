"""A hole filled from its surroundings: which translation goes where, and how it is blended in.

``found`` looks for a :class:`Fill`: whole translations for every pixel of the hole, so that grain and sharpness are those of the
picture itself. ``blended`` copies by it and joins the gradients (Perez et al. 2003), on roots of light, where grain is even. A
fill depends on places only: it can be used again on the same picture read in another way.
"""

from collections.abc import Callable

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.kernels.kernel_math import INLINE, KERNEL
from zincplate.core.repair.fill_map import Fill
from zincplate.core.repair.membrane import poisson
from zincplate.core.repair.repeats import translations
from zincplate.core.repair.shift_map import UNKNOWN, Problem, chosen, finer, moved, reachable, thickness, twice

Float32 = NDArray[np.float32]
Bool = NDArray[np.bool_]
Int = NDArray[np.int64]

COARSE_HOLE = 5000
"""Pixels of a hole where translations are chosen."""
COARSE_SIDE = 220
MOST_TRANSLATIONS = 72
QUICK_HOLE, QUICK_TRANSLATIONS = 1500, 32
_GRADIENT = 1.4
STRANGE_COSTS, BESIDE, STRANGEST = 0.12, 1.0, 4.0
"""A translation costs as much as it is rare in the picture (the logarithm of how many times as common the commonest is): what
repeats goes on rather than what happens to fit; and what those cost that are only beside the hole, or taken for want of
others."""
MOST_USED = 2000
JUMP_TIMES, JUMP_SHARE = 3.0, 0.4
"""Steps between what is copied and what is beside it (roots of light), so many times as large as most and such a share of the
picture's spread, are no difference in light but another subject: they are left as they are."""


def found(
    roots: Float32,
    hole: Bool,
    source: Bool,
    seed: int = 0,
    quick: bool = False,
    breathe: Callable[[], None] = lambda: None,
    void: Bool | None = None,
) -> Fill:
    """What goes where. ``roots`` (3, h, w) roots of light of the hole and its surroundings, ``hole`` (h, w) where to fill,
    ``source`` (h, w) what may be taken, ``void`` (h, w) where the picture does not go and nothing is filled: values there say
    nothing. Another ``seed`` gives another result, the same one the same. Places are those of the arrays.

    Raises ``ValueError`` with a sentence when nothing may be taken.
    """
    rng = np.random.default_rng(seed)
    void = np.zeros_like(hole) if void is None else void & ~hole
    source = source & ~hole & ~void
    if not source.any():
        raise ValueError("there is nothing around the place to take from")
    levels = 0
    count = int(hole.sum())
    most = QUICK_HOLE if quick else COARSE_HOLE
    while (count >> (2 * levels)) > most or (max(hole.shape) >> levels) > COARSE_SIDE * (1 if quick else 1.3):
        levels += 1
    # in a hurry seams stay as they are at half the size, so nothing is compared at full size
    stack = [Problem(roots if quick and levels else _features(roots, hole, void), hole, source)]
    planes = roots
    for _ in range(levels):
        planes, hole, source, void = halved(planes, hole, source, void)
        stack.append(Problem(_features(planes, hole, void), hole, source))
    coarsest = stack[-1]
    if not coarsest.source.any():  # a rim so thin that nothing of it is left at a smaller size
        while len(stack) > 1 and not stack[-1].source.any():
            stack.pop()
        coarsest = stack[-1]
    known = coarsest.source & ~grown(coarsest.hole, 1)
    deep = thickness(coarsest.hole)
    most = QUICK_TRANSLATIONS if quick else MOST_TRANSLATIONS
    near, rarer = translations(coarsest.features, known, max(min(coarsest.hole.shape) / 15, 3), most // 3, seed)
    breathe()
    far, rare = translations(coarsest.features, known, max(1.05 * deep, 3), most - len(near), seed + 1)
    beside = _close_by(deep, 8 if quick else 16)
    both = np.concatenate([near, far, beside])
    strange = np.concatenate([np.log(rarer), np.log(rare), np.full(len(beside), BESIDE)])
    order = np.argsort(strange, kind="stable")
    both, strange = both[order], strange[order]
    if seed:
        # another result: without a part of the translations
        some = rng.random(len(both)) < 0.55
        both, strange = both[some], strange[some]
    if len(both):
        both, first = np.unique(both, axis=0, return_index=True)
        strange = strange[first]
    offsets = reachable(both, coarsest, rng, MOST_USED)
    prior = np.full(len(offsets), STRANGEST)
    prior[: len(strange)] = np.minimum(strange, STRANGEST)
    breathe()
    labels = chosen(coarsest, offsets, STRANGE_COSTS * prior, seed)
    for level, problem in reversed(list(enumerate(stack[:-1]))):
        breathe()
        if quick and level == 0:
            labels, offsets = twice(labels, *problem.hole.shape), 2 * offsets
        else:
            labels, offsets = finer(problem, labels, offsets, 1 if quick else 2)
    labels, offsets = _all_led(stack[0], labels, offsets, rng)
    hole = stack[0].hole
    ys, xs = np.nonzero(hole)
    top, left, bottom, right = int(ys.min()), int(xs.min()), int(ys.max()) + 1, int(xs.max()) + 1
    used, small = np.unique(labels[top:bottom, left:right][hole[top:bottom, left:right]], return_inverse=True)
    part = np.zeros((bottom - top, right - left), np.uint16)
    part[hole[top:bottom, left:right]] = small
    return Fill(left, top, part, offsets[used])


def _all_led(
    problem: Problem, labels: NDArray[np.int32], offsets: Int, rng: np.random.Generator
) -> tuple[NDArray[np.int32], Int]:
    """Places that do not lead to what may be taken, as may be left at borders after going from size to size, get a translation
    that does: one in use, else a new one."""
    hole, source = problem.hole, problem.source
    ys, xs = np.nonzero(hole)
    to = offsets[labels[ys, xs]]
    ty, tx = ys + to[:, 0], xs + to[:, 1]
    good = (ty >= 0) & (tx >= 0) & (ty < hole.shape[0]) & (tx < hole.shape[1])
    good[good] = source[ty[good], tx[good]]
    lost = np.zeros_like(hole)
    lost[ys[~good], xs[~good]] = True
    if not lost.any():
        return labels, offsets
    offsets = reachable(offsets, Problem(problem.features, lost, source), rng, MOST_USED + len(offsets))
    for number, (dy, dx) in enumerate(offsets):
        here = lost & moved(source, int(dy), int(dx))
        labels[here] = number
        lost &= ~here
        if not lost.any():
            break
    return labels, offsets


def _close_by(deep: float, directions: int) -> Int:
    """Translations just long enough to lead across a hole, all round: what lies beside a scratch or a cable."""
    angles = np.arange(directions) * 2 * np.pi / directions
    lengths = np.array([1.2, 2.2]) * deep + 1
    around = np.stack([np.outer(lengths, np.sin(angles)).ravel(), np.outer(lengths, np.cos(angles)).ravel()], 1)
    return np.rint(around).astype(np.int64)


def _features(roots: Float32, hole: Bool, void: Bool) -> Float32:
    """What seams are judged by: roots of light and their slopes, in units of the picture's own spread."""
    unseen = hole | void
    spread = _spread(roots, hole, void)
    scaled = roots / np.float32(max(spread, 1e-4))
    grey = (scaled[0] + scaled[1] + scaled[2]) / np.float32(3)
    across = np.zeros_like(grey)
    down = np.zeros_like(grey)
    across[:, :-1] = np.float32(_GRADIENT) * np.diff(grey, axis=1)
    down[:-1] = np.float32(_GRADIENT) * np.diff(grey, axis=0)
    # a slope one end of which lies in the hole says nothing
    across[:, :-1][unseen[:, 1:] | unseen[:, :-1]] = UNKNOWN
    down[:-1][unseen[1:] | unseen[:-1]] = UNKNOWN
    if void.any():
        scaled[:, void] = UNKNOWN
        across[void] = down[void] = UNKNOWN
    return np.ascontiguousarray(np.concatenate([scaled, across[None], down[None]]), np.float32)


def _spread(roots: Float32, hole: Bool, void: Bool) -> float:
    """From the dark to the light of what is known, the last hundredths left out."""
    thinned = (slice(None, None, max(hole.shape[0] // 256, 1)), slice(None, None, max(hole.shape[1] // 256, 1)))
    known = ~(hole | void)[thinned]
    if not known.any():
        return 1.0
    low, high = np.percentile(roots[(slice(None), *thinned)][:, known], [2, 98], axis=1)
    return float((high - low).mean())


def halved(planes: Float32, hole: Bool, source: Bool, void: Bool) -> tuple[Float32, Bool, Bool, Bool]:
    """Half the size: means of what is known; a cell is in the hole when any of it is, and void when all of the rest is."""
    rows, columns = (n + 1 >> 1 for n in hole.shape)
    small = np.empty((len(planes), rows, columns), np.float32)
    masks = np.empty((3, rows, columns), np.bool_)
    known = (~(hole | void)).astype(np.float32)
    _halve(np.ascontiguousarray(planes), known, hole, source, small, masks)
    return small, masks[0], masks[1], masks[2]


@njit(**KERNEL)
def _halve(planes, known, hole, source, small, masks):
    channels, h, w = planes.shape
    _, rows, columns = masks.shape
    for y in prange(rows):
        upper, lower = 2 * y, min(2 * y + 1, h - 1)
        last = np.float32(1) if lower > upper else np.float32(0)
        one, two = known[upper], known[lower]
        pairs = w // 2
        for c in range(channels):
            above, below, line = planes[c, upper], planes[c, lower], small[c, y]
            for x in range(pairs):
                a, b, d, e = one[2 * x], one[2 * x + 1], last * two[2 * x], last * two[2 * x + 1]
                total = a * above[2 * x] + b * above[2 * x + 1] + d * below[2 * x] + e * below[2 * x + 1]
                line[x] = total / max(a + b + d + e, np.float32(1))
            if w & 1:
                a, d = one[w - 1], last * two[w - 1]
                line[pairs] = (a * above[w - 1] + d * below[w - 1]) / max(a + d, np.float32(1))
        for x in range(columns):
            right = min(2 * x + 1, w - 1)
            holed = hole[upper, 2 * x] | hole[lower, 2 * x] | hole[upper, right] | hole[lower, right]
            takes = source[upper, 2 * x] & source[lower, 2 * x] & source[upper, right] & source[lower, right]
            count = one[2 * x] + two[2 * x] + one[right] + two[right]
            masks[0, y, x], masks[1, y, x], masks[2, y, x] = holed, takes & (not holed), (count == 0) & (not holed)


@njit(**INLINE)
def _inside(hole, y, x):
    h, w = hole.shape
    return 0 <= y < h and 0 <= x < w and not hole[y, x]


@njit(**INLINE)
def _jump(roots, hole, py, px, qy, qx, there_y, there_x):
    """How far what is copied to one place is from what its own surroundings would go on with there; -1 where that is not told."""
    if not _inside(hole, qy, qx):
        return np.float32(-1)
    most = np.float32(0)
    for c in range(roots.shape[0]):
        most = max(most, abs(roots[c, there_y, there_x] - roots[c, qy, qx]))
    return most


@njit(**KERNEL)
def _jumps(roots, hole, labels, offsets, top, left, first_row, first_column, out):
    """(4, h, w) :func:`_jump` towards each neighbour; -1 where copies go on as they were."""
    _, rows, columns = out.shape
    h, w = hole.shape
    for j in prange(rows):
        y = first_row + j
        for i in range(columns):
            x = first_column + i
            for d in range(4):
                out[d, j, i] = np.float32(-1)
            if not hole[y, x]:
                continue
            a = labels[y - top, x - left]
            for d in range(4):
                v = y + (1 if d == 2 else -1 if d == 3 else 0)
                u = x + (1 if d == 0 else -1 if d == 1 else 0)
                if v < 0 or v >= h or u < 0 or u >= w:
                    continue
                ty, tx = v, u
                if hole[v, u]:
                    b = labels[v - top, u - left]
                    if b == a:
                        continue
                    ty, tx = v + offsets[b, 0], u + offsets[b, 1]
                qy, qx = v + offsets[a, 0], u + offsets[a, 1]
                out[d, j, i] = _jump(roots, hole, y + offsets[a, 0], x + offsets[a, 1], qy, qx, ty, tx)


@njit(**KERNEL)
def _gradients(roots, hole, labels, offsets, top, left, first_row, first_column, jumps, low, high, right):
    """Puts the gradients' sums of a part of the picture into ``right``: those of what is copied, but across jumps above
    ``low`` to ``high`` the step that is there, since another subject's light would be smeared."""
    channels, h, w = roots.shape
    for j in prange(right.shape[1]):
        y = first_row + j
        for i in range(right.shape[2]):
            x = first_column + i
            if not hole[y, x]:
                continue
            a = labels[y - top, x - left]
            ay, ax = y + offsets[a, 0], x + offsets[a, 1]
            for d in range(4):
                steps = min(max((jumps[d, j, i] - low) / (high - low), np.float32(0)), np.float32(1))
                v = y + (1 if d == 2 else -1 if d == 3 else 0)
                u = x + (1 if d == 0 else -1 if d == 1 else 0)
                if v < 0 or v >= h or u < 0 or u >= w:
                    continue
                count, b = 1, -1
                if hole[v, u]:
                    b = labels[v - top, u - left]
                    if b != a:
                        count = 2
                for side in range(count):
                    k = a if side == 0 else b
                    py, px, qy, qx = y + offsets[k, 0], x + offsets[k, 1], v + offsets[k, 0], u + offsets[k, 1]
                    if py < 0 or py >= h or px < 0 or px >= w or qy < 0 or qy >= h or qx < 0 or qx >= w:
                        continue
                    if hole[py, px] or hole[qy, qx]:
                        continue
                    for c in range(channels):
                        right[c, j, i] += (np.float32(1) - steps) * (roots[c, py, px] - roots[c, qy, qx]) / np.float32(count)
                if steps > 0:
                    ty, tx = v, u
                    if hole[v, u]:
                        ty, tx = v + offsets[b, 0], u + offsets[b, 1]
                    for c in range(channels):
                        right[c, j, i] += steps * (roots[c, ay, ax] - roots[c, ty, tx])


def blended(roots: Float32, hole: Bool, fill: Fill, close: float = 1e-4, void: Bool | None = None) -> Float32:
    """``roots`` (3, h, w) with the hole filled; where it ends at what is ``void`` its light is free. Raises ``ValueError``
    with a sentence when the fill does not fit: it does not reach the whole hole, or leads outside of the arrays."""
    h, w = hole.shape
    rows, columns = fill.labels.shape
    ys, xs = np.nonzero(hole)
    if not len(ys):
        return roots
    if ys.min() < fill.top or xs.min() < fill.left or ys.max() >= fill.top + rows or xs.max() >= fill.left + columns:
        raise ValueError("the fill is of another place")
    to = fill.offsets[fill.labels[ys - fill.top, xs - fill.left]]
    to_y, to_x = ys + to[:, 0], xs + to[:, 1]
    if to_y.min() < 0 or to_x.min() < 0 or to_y.max() >= h or to_x.max() >= w:
        raise ValueError("the fill leads out of the picture")
    out = np.array(roots, np.float32, order="C")
    top, left = max(int(ys.min()) - 1, 0), max(int(xs.min()) - 1, 0)
    bottom, end = min(int(ys.max()) + 2, h), min(int(xs.max()) + 2, w)
    part = (slice(top, bottom), slice(left, end))
    copied = np.ascontiguousarray(out[(slice(None), *part)])
    copied[:, hole[part]] = out[:, to_y, to_x]
    right = np.zeros_like(copied)
    where = (out, hole, fill.labels, fill.offsets, fill.top, fill.left, top, left)
    jumps = np.empty((4, *copied.shape[1:]), np.float32)
    _jumps(*where, jumps)
    if void is not None:
        _no_jumps(jumps, void[part])
    told = jumps[jumps >= 0]
    low = np.float32(1)
    if len(told):
        # by what is copied and nothing farther off, so that it is the same however much is read around it
        spread = float((np.percentile(copied, 98, axis=(1, 2)) - np.percentile(copied, 2, axis=(1, 2))).mean())
        low = np.float32(max(JUMP_TIMES * float(np.median(told)), JUMP_SHARE * spread, 0.01))
    _gradients(*where, jumps, low, np.float32(1.5) * low, right)
    inside = hole[part]
    free = inside if void is None else inside | void[part]
    result = copied if free.all() else _near(poisson(copied, free, right, close), copied, inside, right)
    np.copyto(out[(slice(None), *part)], result, where=inside)
    return out


def _no_jumps(jumps: Float32, void: Bool) -> None:
    """What is void has no light to jump to, in place."""
    for d, (dy, dx) in enumerate(((0, 1), (0, -1), (1, 0), (-1, 0))):
        jumps[d][moved(void, dy, dx)] = -1


def _near(result: Float32, copied: Float32, inside: Bool, right: Float32) -> Float32:
    """The result no farther from what was copied than steps along its border and seams are: among many seams and with little
    border gradients drift away without end."""
    left_side = np.zeros_like(copied)
    for axis in (1, 2):
        step = np.diff(copied, axis=axis)
        before, after = ((slice(None),) * axis + (part,) for part in (slice(None, -1), slice(1, None)))
        left_side[before] -= step
        left_side[after] += step
    jumps = np.abs(right - left_side)[:, inside]
    most = np.array([float(np.percentile(j[j > 1e-6], 99)) if (j > 1e-6).any() else 0.0 for j in jumps])
    limit = most.astype(np.float32)[:, None, None]
    return np.asarray(np.clip(result, copied - limit, copied + limit), np.float32)


def grown(hole: Bool, by_px: int) -> Bool:
    """A hole with a rim."""
    size = 2 * by_px + 1
    return np.asarray(cv2.dilate(hole.astype(np.uint8), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size))) > 0)
