"""Where a picture lies on another of the same subject: a first guess by phase correlation (Kuglin & Hines 1975), or, where that
does not fit, by features (SIFT, Lowe 2004) and RANSAC for a homography (Fischler & Bolles 1981); refined on the pictures
themselves by the enhanced correlation coefficient (Evangelidis & Psarakis, TPAMI 30, 2008), which does not see exposure.
It does see somebody who walks through, and turns and shifts the picture to make up for him: what differs far more than the rest
is left out, and the rest laid again, in rounds, as robust estimates are made (Holland & Welsch 1977). Of several guesses the one
counts with which most places agree, each by itself. What the lens's distortion and a moved camera leave over is a smooth field
(:mod:`.placement`).

Pictures are logarithms of linear light, held between limits that both can show. Places are pixel centres at whole numbers; a
homography takes places of the reference to places of the other picture.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.merging.correlation import correlated

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

FEATURES_PX = 1000
"""Long edge at which features are looked for."""
FEWEST_PAIRS = 12
FEWEST_FOR_HOMOGRAPHY = 40
RANSAC_PX = 1.5
REFINED_PX = 800
"""Long edge at which pictures are correlated: tiles of the whole ones do the rest."""
SMALL_PX = 400
"""Long edge at which a first guess is made."""
ROUNDS, ECC_LIMIT = 20, 1e-6
LEAST_DRAWING = 2e-4
"""Mean square of the gradient (stops per pixel) along its weaker direction: a tile with less has no place."""
MOST_APART = 2.5
"""Pixels: further than that a smoothed tile does not tell."""
LIKE = 0.5
"""Correlation after refining, from which on the two show the same."""
SURELY = 0.8
"""From here on features are not looked for, where"""
AGREED, AGREED_AT_ALL = 0.6, 0.4
"""as much of the flattened drawing agrees; and how much must. Squares of"""
AROUND_PX = 17
"""pixels are looked at, each by itself."""
FLAT_PX, FLAT_DEVIATIONS = 12.0, 2.0
"""What is flattened: larger forms than that, and drawing stronger than so many standard deviations of it."""
MOVED_ROUNDS, MOVED_DEVIATIONS, MOVED_STOPS = 4, 4.0, 0.15
"""What differs by so many standard deviations of all differences, and by so much light, has moved."""
LEAST_MOVED_PX, MOVED_AROUND_PX, MOST_MOVED = 5, 6, 0.5
"""How wide it is at least, pixels about it that are left out as well, and the share of a picture that may be."""
SETTLED = 0.004
"""The share of a picture that changes sides in a round from which on there is no other."""
LARGEST_SCALE = 1.25
"""Pictures that are larger or smaller by more than this are no two of one set."""


@dataclass(frozen=True)
class Aligned:
    """A picture on its reference."""

    homography: Float64
    """(3, 3), the last element 1."""
    pairs: int
    """Features that agree with it; 0 when none were looked for."""
    correlation: float
    """Of the two pictures afterwards, -1..1."""


def align(reference: Float32, picture: Float32) -> Aligned | None:
    """The homography between two pictures (h, w) of one size; None when they do not lie on each other."""
    scale = min(REFINED_PX / max(reference.shape), 1.0)
    if scale < 1:
        reference, picture = (cv2.resize(p, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) for p in (reference, picture))
    flat = _flattened(reference), _flattened(picture)
    start = _by_shift(reference, picture, flat)
    best = _None if start is None else _Found(*_refined(reference, picture, start, ROUNDS), flat)
    if not best.surely:  # turned, or moved far: features find it
        for a, b in ((reference, picture), flat):
            by_features, pairs = _by_features(a, b)
            if by_features is not None:
                best = max(best, _Found(*_refined(reference, picture, by_features, 2 * ROUNDS), flat, pairs), key=_worth)
            if best.surely:
                break
    if best.homography is None or not best.alike or not _plausible(best.homography, reference.shape):
        return None
    return Aligned(rescaled(best.homography, scale, 1.0), best.pairs, best.correlation)


class _Found:
    """A homography that was tried, the correlation of what did not move, and how much of all drawing agrees with it."""

    def __init__(
        self, homography: Float64 | None, correlation: float, flat: tuple[Float32, Float32] | None = None, pairs: int = 0
    ) -> None:
        self.homography, self.correlation, self.pairs = homography, correlation, pairs
        self.agreement = -1.0
        if homography is not None and flat is not None:
            self.agreement = _agreement(*flat, homography)

    @property
    def alike(self) -> bool:
        """Whether both show the same."""
        return self.agreement >= AGREED or (self.correlation >= LIKE and self.agreement >= AGREED_AT_ALL)

    @property
    def surely(self) -> bool:
        """Whether nothing else need be tried."""
        return self.correlation >= SURELY and self.agreement >= AGREED


_None = _Found(None, -1.0)


def _worth(found: _Found) -> float:
    return found.agreement if found.alike else found.agreement - 2


def _agreement(reference: Float32, picture: Float32, homography: Float64) -> float:
    """The mean of correlations about each place, 0..1: many places tell it, and none of them more than it has area."""
    there, told = _there(picture, homography, reference.shape)
    if not told.any():
        return -1.0
    here = np.where(told, reference, np.float32(0))

    def around(values: Float32) -> Float32:
        return np.asarray(cv2.boxFilter(values, cv2.CV_32F, (AROUND_PX, AROUND_PX)), np.float32)

    drawn = np.sqrt(np.maximum(around(here * here) * around(there * there), 0))
    usual = float(np.median(drawn[told]))
    correlation = around(here * there) / np.maximum(drawn, 0.01 * usual + 1e-12)
    weight = np.minimum(drawn, usual) * told
    # what lies on little of the reference could agree there by chance
    return float((np.maximum(correlation, 0) * weight).sum() / max(float(weight.sum()), 1e-12)) * min(
        2.0 * float(told.mean()), 1.0
    )


def _flattened(picture: Float32) -> Float32:
    """Drawing (h, w) without what is large, no part of it stronger than a few times the usual: somebody dark before a pale wall
    has the strongest edges of a picture, and they move."""
    around = cv2.GaussianBlur(picture, (0, 0), FLAT_PX)
    fine = cv2.GaussianBlur(picture, (0, 0), 1.0) - around
    most = FLAT_DEVIATIONS * 1.4826 * float(np.median(np.abs(fine)))
    # where most of a picture is held at its limits the usual is nothing
    most = max(most, 0.05 * float(fine.std()), 1e-6)
    return np.asarray(np.clip(fine, -most, most), np.float32)


def _by_shift(reference: Float32, picture: Float32, flat: tuple[Float32, Float32]) -> Float64 | None:
    """Small pictures laid on each other by phase correlation, then by their correlation; None when that does not fit."""
    scale = min(SMALL_PX / max(reference.shape), 1.0)
    a, b, flat_a, flat_b = (
        cv2.resize(p, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) if scale < 1 else p
        for p in (reference, picture, *flat)
    )
    best = _None
    for first, second, plain in ((a, b, False), (flat_a, flat_b, False), (a, b, True)):
        begin = np.eye(3)
        if not plain:
            # of copies: it multiplies by the window in place where no border is needed for the transform
            window = cv2.createHanningWindow((a.shape[1], a.shape[0]), cv2.CV_32F)
            (begin[0, 2], begin[1, 2]), _ = cv2.phaseCorrelate(first.copy(), second.copy(), window)
        best = max(best, _Found(*_refined(a, b, begin, 2 * ROUNDS), (flat_a, flat_b)), key=_worth)
        if best.surely:
            break
    return rescaled(best.homography, scale, 1.0) if best.homography is not None and best.alike else None


def _eight_bit(picture: Float32) -> NDArray[np.uint8]:
    low, high = np.quantile(picture, (0.01, 0.995))
    return np.asarray(np.clip((picture - low) / max(float(high - low), 1e-6) * 255, 0, 255), np.uint8)


def _by_features(reference: Float32, picture: Float32) -> tuple[Float64 | None, int]:
    scale = min(FEATURES_PX / max(reference.shape), 1.0)
    small = [
        _eight_bit(cv2.resize(p, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) if scale < 1 else p)
        for p in (reference, picture)
    ]
    finder = cv2.SIFT_create(nfeatures=3000, contrastThreshold=0.02)
    (points_a, described_a), (points_b, described_b) = (finder.detectAndCompute(p, None) for p in small)
    if described_a is None or described_b is None or min(len(points_a), len(points_b)) < FEWEST_PAIRS:
        return None, 0
    matches = cv2.BFMatcher(cv2.NORM_L2).knnMatch(described_a, described_b, k=2)
    good = [m[0] for m in matches if len(m) == 2 and m[0].distance < 0.75 * m[1].distance]
    if len(good) < FEWEST_PAIRS:
        return None, 0
    a = np.array([points_a[m.queryIdx].pt for m in good])
    b = np.array([points_b[m.trainIdx].pt for m in good])
    cv2.setRNGSeed(2026)  # the same files give the same master
    found, inside = cv2.findHomography(a, b, cv2.RANSAC, RANSAC_PX, maxIters=4000, confidence=0.9999)
    count = 0 if inside is None else int(inside.sum())
    if found is None or count < FEWEST_FOR_HOMOGRAPHY:
        similar, inside = cv2.estimateAffinePartial2D(a, b, method=cv2.RANSAC, ransacReprojThreshold=RANSAC_PX)
        count = 0 if inside is None else int(inside.sum())
        if similar is None or count < FEWEST_PAIRS:
            return None, 0
        found = np.vstack([similar, [0, 0, 1]])
    return rescaled(np.asarray(found, np.float64), scale, 1.0), count


def rescaled(homography: Float64, scale: float, to: float, origin: tuple[float, float] = (0.0, 0.0)) -> Float64:
    """A homography between pictures reduced by ``scale``, for pictures reduced by ``to``: places of a pixel are its middle.
    ``origin`` (x, y), in pixels of the larger pictures, is where both reduced ones begin."""
    k = to / scale

    def grow() -> Float64:
        shift = (k - 1) / 2
        return np.array([[k, 0, shift + origin[0]], [0, k, shift + origin[1]], [0, 0, 1.0]])

    matrix = grow() @ homography @ np.linalg.inv(grow())
    return np.asarray(matrix / matrix[2, 2])


def _refined(reference: Float32, picture: Float32, start: Float64, rounds: int) -> tuple[Float64 | None, float]:
    """A homography near ``start``, and the correlation of what did not move."""
    found, correlation = start, -1.0
    before: NDArray[np.uint8] | None = None
    for _ in range(MOVED_ROUNDS):
        kept = _unmoved(reference, picture, found)
        if before is not None and float((before != kept).mean()) < SETTLED:
            break
        again, value = correlated(reference, picture, found, rounds, ECC_LIMIT, kept)
        if again is None:
            return (None, -1.0) if before is None else (found, correlation)
        before, found, correlation = kept, again, value
    return found, correlation


def _there(picture: Float32, homography: Float64, shape: tuple[int, ...]) -> tuple[Float32, NDArray[np.bool_]]:
    """The picture as it lies on one of this shape, and where it does."""
    size = shape[1], shape[0]
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    there = cv2.warpPerspective(picture, homography, size, flags=flags, borderValue=float("nan"))
    told = np.isfinite(there)
    return np.where(told, there, np.float32(0)), told


def _between(values: Float32, limits_of: Float32) -> NDArray[np.bool_]:
    return (values > limits_of.min()) & (values < limits_of.max())


def _unmoved(reference: Float32, picture: Float32, homography: Float64) -> NDArray[np.uint8]:
    """255 where the picture (h, w) shows what the reference does, else 0; everywhere 255 where nothing differs far more than the
    rest, or too much does."""
    everywhere = np.full(picture.shape, 255, np.uint8)
    there, told = _there(picture, homography, reference.shape)
    # where both are held at their limits they are alike and tell nothing
    told &= _between(reference, reference) | _between(there, picture)
    if np.count_nonzero(told) < told.size // 16:
        return everywhere
    apart = np.where(told, reference - there, np.float32(0))
    apart = np.where(told, apart - np.median(apart[told]), 0).astype(np.float32)
    apart = np.abs(cv2.GaussianBlur(apart, (0, 0), 1.5))
    limit = max(MOVED_DEVIATIONS * 1.4826 * float(np.median(apart[told])), MOVED_STOPS)
    # what is thin is an edge that lies a little beside the other
    moved = cv2.morphologyEx((apart > limit).astype(np.uint8), cv2.MORPH_OPEN, np.ones((LEAST_MOVED_PX,) * 2, np.uint8))
    moved = cv2.dilate(moved, np.ones((2 * MOVED_AROUND_PX + 1,) * 2, np.uint8))
    share = float(moved.mean())
    if not 0 < share < MOST_MOVED:
        return everywhere
    size = picture.shape[1], picture.shape[0]
    return np.asarray(255 * (1 - cv2.warpPerspective(moved, homography, size, flags=cv2.INTER_NEAREST)), np.uint8)


def _plausible(homography: Float64, shape: tuple[int, ...]) -> bool:
    """Of about one size, not mirrored, and lying on at least a third of the reference."""
    h, w = shape
    corners = np.array([[0, 0, 1], [w - 1, 0, 1], [w - 1, h - 1, 1], [0, h - 1, 1]], np.float64) @ homography.T
    if (corners[:, 2] <= 0).any():
        return False
    x, y = (corners[:, :2] / corners[:, 2:]).T
    area = 0.5 * abs(np.dot(x, np.roll(y, 1)) - np.dot(y, np.roll(x, 1))) / ((w - 1) * (h - 1))
    overlap = max(min(x.max(), w) - max(x.min(), 0), 0) * max(min(y.max(), h) - max(y.min(), 0), 0) / (w * h)
    return bool(LARGEST_SCALE**-2 < area < LARGEST_SCALE**2 and np.linalg.det(homography[:2, :2]) > 0 and overlap > 1 / 3)


def tile_shift(first: Float32, second: Float32) -> tuple[float, float] | None:
    """How far the second of two tiles (h, w), nearly on each other, still lies aside (x, y): the shift that explains most of
    their difference (Lucas & Kanade 1981, one step on smoothed pictures). None where it would not be known to a tenth of a
    pixel."""
    a, b = (cv2.GaussianBlur(p, (0, 0), 1.2) for p in (first, second))
    middle = (a + b) / 2
    gradient_x, gradient_y = (cv2.Sobel(middle, cv2.CV_32F, *order, ksize=3, scale=1 / 8) for order in ((1, 0), (0, 1)))
    inner = (slice(3, -3), slice(3, -3))
    rows = np.empty((3, gradient_x[inner].size))
    rows[0], rows[1], rows[2] = gradient_x[inner].ravel(), gradient_y[inner].ravel(), 1.0
    squares = rows @ rows.T
    if np.linalg.eigvalsh(squares[:2, :2])[0] < LEAST_DRAWING * rows.shape[1]:
        return None
    difference = (a - b)[inner].ravel().astype(np.float64)
    dx, dy, level = np.linalg.solve(squares, rows @ difference)
    rest = difference - (dx, dy, level) @ rows
    if np.hypot(dx, dy) > MOST_APART or rest.var() > (1 - SURELY) * float(a[inner].var()):
        return None
    return float(dx), float(dy)


def laid_on(picture: Float32, x: Float32, y: Float32) -> tuple[Float32, NDArray[np.bool_]]:
    """A plane (h, w) or planes (n, h, w) read at places, each of the reference's size, by cubic interpolation; and where there is
    something to show. For looking and judging at reduced size, not for the merge itself."""
    planes = picture if picture.ndim == 3 else picture[None]
    moved = np.stack([cv2.remap(p, x, y, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE) for p in planes])
    there = (x >= 0) & (x <= planes.shape[2] - 1) & (y >= 0) & (y <= planes.shape[1] - 1)
    return np.asarray(moved if picture.ndim == 3 else moved[0], np.float32), there
