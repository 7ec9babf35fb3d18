"""Places that frames of one view share: features (SIFT, Lowe, IJCV 60, 2004), matched by their nearest neighbour where the second
nearest is clearly farther, and verified by a homography (RANSAC, Fischler & Bolles 1981; how many must agree: Brown & Lowe, IJCV
74, 2007, equation 16)."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import KDTree

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

MOST_FEATURES = 2500
CONTRAST = 0.02
NEXT_FARTHER = 0.8
RANSAC_PX = 3.0
"""Of the reduced pictures: distortion that is not known yet bends what a homography keeps straight."""
SURELY_ALPHA, SURELY_BETA = 8.0, 0.3
"""Of matches that lie in the overlap at least alpha + beta * all must agree: two pictures with nothing in common do not."""
FAR_AWAY = 1e9
"""Stands for places that are not in sight, in pixels."""
AT_ONCE = 100_000
"""Products of descriptions."""
LARGEST_CHANGE = 2.0
"""Pictures of one view differ in size by less than this."""


@dataclass(frozen=True)
class Features:
    """Of one reduced picture."""

    places: Float64
    """(n, 2) pixels of the reduced picture."""
    described: Float32
    """(n, 128) of length 1 (square roots of SIFT's: Arandjelovic & Zisserman, CVPR 2012)."""


@dataclass(frozen=True)
class Pair:
    """Two frames that show some of the same."""

    first: int
    second: int
    places_1: Float64
    places_2: Float64
    """(n, 2) each, of the reduced pictures; those that agree."""


def features_of(picture: Float32) -> Features:
    """Features of a logarithm of light (h, w). Spread over the picture: a third of them come from each third at most."""
    low, high = np.quantile(picture, (0.005, 0.995))
    eight = np.clip((picture - low) / max(float(high - low), 1e-6) * 255, 0, 255).astype(np.uint8)
    finder = cv2.SIFT_create(nfeatures=2 * MOST_FEATURES, contrastThreshold=CONTRAST)
    points, described = finder.detectAndCompute(eight, None)
    if described is None or not points:
        return Features(np.empty((0, 2)), np.empty((0, 128), np.float32))
    places = np.array([p.pt for p in points])
    kept = _spread(places, np.array([p.response for p in points]), picture.shape)
    roots = np.sqrt(described[kept] / np.maximum(described[kept].sum(1, keepdims=True), 1e-9))
    return Features(places[kept], roots.astype(np.float32))


def _spread(places: Float64, response: Float64, shape: tuple[int, ...]) -> NDArray[np.int64]:
    """The strongest of every cell of an 8 x 8 grid, up to an even share each."""
    cells = (places[:, 0] * 8 / shape[1]).astype(int) + 8 * (places[:, 1] * 8 / shape[0]).astype(int)
    rank = np.empty(len(places), int)
    order = np.argsort(-response, kind="stable")
    seen: dict[int, int] = {}
    for i in order:
        cell = int(cells[i])
        rank[i] = seen.get(cell, 0)
        seen[cell] = rank[i] + 1
    return np.asarray(np.lexsort((-response, rank))[:MOST_FEATURES])


def matched(first: Features, second: Features) -> tuple[Float64, Float64]:
    """(n, 2) places of each whose descriptions are nearest to each other, both ways, and clearly nearer than the next."""
    if min(len(first.places), len(second.places)) < 4:
        return np.empty((0, 2)), np.empty((0, 2))
    mine, theirs = _nearest(first.described @ second.described.T)
    return first.places[mine], second.places[theirs]


def matched_near(
    first: Features, second: Features, expected: Float64, places: Float64, reach_px: float
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Indices of features that show the same, of those that lie within ``reach_px`` of where they are expected: ``expected``
    (n, 2) of the first's, ``places`` (m, 2) of the second's, in pixels of one picture."""
    if min(len(first.places), len(second.places)) < 2:
        return np.empty(0, np.int64), np.empty(0, np.int64)
    near = KDTree(np.nan_to_num(expected, nan=FAR_AWAY, posinf=FAR_AWAY, neginf=FAR_AWAY)).sparse_distance_matrix(
        KDTree(places), reach_px, output_type="ndarray"
    )
    # in the order of the first's, then of the second's features
    near = near[np.lexsort((near["j"], near["i"]))]
    rows, columns = near["i"].astype(np.int64), near["j"].astype(np.int64)
    if len(rows) == 0:
        return np.empty(0, np.int64), np.empty(0, np.int64)
    like = np.concatenate(
        [
            np.einsum("nk,nk->n", first.described[rows[k : k + AT_ONCE]], second.described[columns[k : k + AT_ONCE]])
            for k in range(0, len(rows), AT_ONCE)
        ]
    )
    return _nearest_of_few(rows, columns, like)


def _nearest_of_few(
    rows: NDArray[np.int64], columns: NDArray[np.int64], like: Float32
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """As :func:`_nearest`, of those products alone that are given, in the order of rows."""
    by_row = np.lexsort((-like, rows))
    row, column, product = rows[by_row], columns[by_row], like[by_row]
    begins = np.flatnonzero(np.diff(row, prepend=-1))
    top, best = product[begins], column[begins]
    has_next = np.diff(begins, append=len(row)) > 1
    second_best = np.where(has_next, product[np.minimum(begins + 1, len(row) - 1)], -1)
    by_column = np.lexsort((-like, columns))
    first_of_column = np.flatnonzero(np.diff(columns[by_column], prepend=-1))
    most_like = np.full(int(columns.max()) + 1, -1)
    most_like[columns[by_column][first_of_column]] = rows[by_column][first_of_column]
    clear = (2 - 2 * top) < NEXT_FARTHER**2 * (2 - 2 * second_best)
    kept = clear & (most_like[best] == row[begins]) & (top > 0)
    return row[begins][kept], best[kept]


def _nearest(like: Float32) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Indices of what is most alike both ways, and clearly more than the next, by products (n, m) of vectors of length 1."""
    best = like.argmax(1)
    rows = np.arange(len(like))
    top = like[rows, best]
    # where the greatest of a column stands is looked for in those columns alone that may be kept: that walks across memory
    most = like.max(0)
    like[rows, best] = -1
    second_best = like.max(1)
    like[rows, best] = top
    # of vectors of length 1 the squared distance is 2 - 2 * product
    clear = (2 - 2 * top) < NEXT_FARTHER**2 * (2 - 2 * second_best)
    kept = np.flatnonzero(clear & (top > 0) & (top == most[best]))
    kept = kept[like[:, best[kept]].argmax(0) == kept]
    return rows[kept], best[kept]


def pair_of(first: int, second: int, a: Features, b: Features, size: tuple[int, int]) -> Pair | None:
    """What two frames share; None when that is nothing that can be relied on. ``size`` (height, width) of the reduced ones."""
    places_1, places_2 = matched(a, b)
    if len(places_1) < SURELY_ALPHA:
        return None
    cv2.setRNGSeed(2026)  # the same files give the same master
    found, inside = cv2.findHomography(places_1, places_2, cv2.RANSAC, RANSAC_PX, maxIters=5000, confidence=0.9999)
    if found is None:
        return None
    agree = inside.ravel() > 0
    h, w = size
    lying = cv2.perspectiveTransform(places_1[None], found)[0]
    overlap = (lying[:, 0] >= 0) & (lying[:, 0] < w) & (lying[:, 1] >= 0) & (lying[:, 1] < h)
    if agree.sum() < SURELY_ALPHA + SURELY_BETA * overlap.sum() or not _possible(found, places_1[agree].mean(0)):
        return None
    return Pair(first, second, places_1[agree], places_2[agree])


def _possible(homography: Float64, at: Float64) -> bool:
    """Not mirrored, and of about one size, at the middle of what is shared."""
    x, y = at
    a = homography / homography[2, 2]
    z = a[2, 0] * x + a[2, 1] * y + 1
    if z <= 0.05:
        return False
    px, py = (a[0] @ (x, y, 1)) / z, (a[1] @ (x, y, 1)) / z
    jacobian = np.array([[a[0, 0] - px * a[2, 0], a[0, 1] - px * a[2, 1]], [a[1, 0] - py * a[2, 0], a[1, 1] - py * a[2, 1]]]) / z
    return bool(LARGEST_CHANGE**-2 < np.linalg.det(jacobian) < LARGEST_CHANGE**2)
