"""The main subject of a picture, without a learned network: what is not background, and is sharp.

Zhu, Liang, Wei and Sun, "Saliency optimization from robust background detection" (CVPR 2014): regions that are alike and meet the
picture's border along much of their extent are background; what differs in colour from much background near it stands out;
both are brought together by least squares over neighbours. Regions are those of Achanta et al., "SLIC superpixels" (TPAMI
2012). Besides colour, sharpness counts: of a picture with a soft background the sharp part is meant. The outline is then cut
along edges (Rother, Kolmogorov, Blake, "GrabCut", 2004, by OpenCV).
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import shortest_path

from zincplate.core.kernels.kernel_math import KERNEL

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

LONG_EDGE = 320
"""At which regions are made."""
REGIONS = 300
ROUNDS = 8
COMPACT = 0.06
"""Oklab distance that weighs as much as a region's width."""
ALIKE = 0.1
"""Oklab distance of one standard deviation: a tenth of the way from black to white (the paper's 10 of CIELAB's 100)."""
SPATIAL = 0.25
"""Of the long edge: standard deviation of what counts as near."""
BOUNDARY = 1.0
"""Standard deviation of the boundary's connectivity from which on a region is background."""
SMOOTH_FLOOR = 0.1
FOCUS_AT = 1.2
"""Octaves by which the sharp parts must be sharper than the soft ones for sharpness to count in full."""
LEAST_APART, LEAST_SURE = 0.2, 0.35
"""How much more the subject has to stand out than the rest on the whole (0..1), and how sure that makes it at least."""


@dataclass(frozen=True)
class Regions:
    """Superpixels: label of each place (h, w), mean colour (n, 3), middle (n, 2) in long edges, share of the picture (n,)."""

    labels: NDArray[np.int32]
    colour: Float64
    middle: Float64
    share: Float64


@njit(**KERNEL)
def _nearest(lab, centres, step, weight, labels):
    """Each place to the nearest of the centres about it; ``centres`` (rows, columns, 5) lightness, a, b, x, y."""
    _, height, width = lab.shape
    rows, columns = centres.shape[0], centres.shape[1]
    for y in prange(height):
        for x in range(width):
            j0, i0 = min(int(y / step), rows - 1), min(int(x / step), columns - 1)
            best = np.float32(1e30)
            for j in range(max(j0 - 1, 0), min(j0 + 2, rows)):
                for i in range(max(i0 - 1, 0), min(i0 + 2, columns)):
                    apart = np.float32(0)
                    for c in range(3):
                        d = lab[c, y, x] - centres[j, i, c]
                        apart += d * d
                    dx, dy = np.float32(x) - centres[j, i, 3], np.float32(y) - centres[j, i, 4]
                    apart += weight * (dx * dx + dy * dy)
                    if apart < best:
                        best = apart
                        labels[y, x] = j * columns + i


def regions(lab: Float32) -> Regions:
    """Superpixels of a picture (3, h, w) Oklab."""
    _, height, width = lab.shape
    step = max(np.sqrt(height * width / REGIONS), 1.0)
    rows, columns = max(round(height / step), 1), max(round(width / step), 1)
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    labels = np.minimum((y / step).astype(np.int32), rows - 1) * columns + np.minimum((x / step).astype(np.int32), columns - 1)
    labels = np.ascontiguousarray(labels, np.int32)
    number = rows * columns
    features = [*lab, x, y]
    for _ in range(ROUNDS):
        counts = np.maximum(np.bincount(labels.ravel(), minlength=number), 1)
        centres = np.stack([np.bincount(labels.ravel(), weights=f.ravel(), minlength=number) / counts for f in features], 1)
        _nearest(lab, centres.reshape(rows, columns, 5).astype(np.float32), step, np.float32((COMPACT / step) ** 2), labels)
    used, labels_ = np.unique(labels, return_inverse=True)
    labels = labels_.reshape(height, width).astype(np.int32)
    counts = np.bincount(labels.ravel(), minlength=len(used))
    means = np.stack([np.bincount(labels.ravel(), weights=f.ravel()) / counts for f in features], 1)
    return Regions(labels, means[:, :3], means[:, 3:] / max(height, width), counts / counts.sum())


def _neighbours(labels: NDArray[np.int32], number: int) -> NDArray[np.bool_]:
    found = np.zeros((number, number), bool)
    for a, b in ((labels[:, :-1], labels[:, 1:]), (labels[:-1], labels[1:])):
        found[a.ravel(), b.ravel()] = True
    found |= found.T
    np.fill_diagonal(found, False)
    return found


def standing_out(lab: Float32, sharpness: Float32 | None = None) -> Float32:
    """(h, w) 0..1 how much places of a picture (3, h, w) Oklab stand out; ``sharpness`` (h, w) 0..1 of the same places."""
    found = regions(lab)
    number = len(found.share)
    labels = found.labels
    near = _neighbours(labels, number)
    apart = np.sqrt(((found.colour[:, None] - found.colour[None]) ** 2).sum(2))
    border = np.zeros(number, bool)
    rim = np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]])
    border[rim] = True
    length = np.bincount(rim, minlength=number) / len(rim)
    # regions at the border hang together all round
    linked = near | (border[:, None] & border[None])
    np.fill_diagonal(linked, False)
    i, j = np.nonzero(linked)
    way = shortest_path(coo_array((np.maximum(apart[i, j] - _usual(apart, near), 1e-9), (i, j)), shape=(number, number)).tocsr())
    alike = np.exp(-((way / ALIKE) ** 2) / 2)
    extent = (alike * found.share[None]).sum(1) * number
    at_border = (alike * (length * np.sqrt(number) * 4)[None]).sum(1)
    connectivity = at_border / np.sqrt(np.maximum(extent, 1e-9))
    background = 1 - np.exp(-((connectivity / BOUNDARY) ** 2) / 2)
    distance = np.sqrt(((found.middle[:, None] - found.middle[None]) ** 2).sum(2))
    contrast = (apart * np.exp(-((distance / SPATIAL) ** 2) / 2) * background[None] * found.share[None]).sum(1)
    contrast = np.clip(contrast / max(float(np.percentile(contrast, 95)), 1e-9), 0, 1)
    if sharpness is not None:
        sharp = np.bincount(labels.ravel(), weights=sharpness.ravel()) / np.bincount(labels.ravel())
        contrast, background = contrast * (0.25 + 0.75 * sharp), np.maximum(background, 1 - sharp)
        contrast = np.maximum(contrast, 0.6 * sharp * (1 - background))
    smooth = np.where(near, np.exp(-((apart / ALIKE) ** 2) / 2) + SMOOTH_FLOOR, 0.0)
    system = np.diag(background + contrast + smooth.sum(1)) - smooth
    shown = np.clip(np.linalg.solve(system + 1e-6 * np.eye(number), contrast), 0, 1)
    low, high = np.percentile(shown, [5, 97])
    shown = np.clip((shown - low) / max(high - low, 1e-6), 0, 1)
    return np.asarray(shown[labels], np.float32)


def _usual(apart: Float64, near: NDArray[np.bool_]) -> float:
    """Difference between neighbours that says nothing: the least of each region's, on the whole."""
    least = np.where(near, apart, np.inf).min(1)
    least = least[np.isfinite(least)]
    return float(least.mean()) if len(least) else 0.0


def sharp_parts(lightness: Float32) -> Float32 | None:
    """(h, w) 0..1 where a picture is in focus, of its lightness (h, w); None where all of it is about equally sharp.

    Blur is judged by how much is lost when a place is blurred once more (Crete et al., "The blur effect", 2007), where there
    is drawing at all.
    """
    fine = np.abs(lightness - cv2.GaussianBlur(lightness, (0, 0), 1.0))
    coarse = np.abs(cv2.GaussianBlur(lightness, (0, 0), 2.0) - cv2.GaussianBlur(lightness, (0, 0), 4.0))
    wide = max(max(lightness.shape) / 40, 2.0)
    fine, coarse = cv2.GaussianBlur(fine, (0, 0), wide), cv2.GaussianBlur(coarse, (0, 0), wide)
    ratio = np.log2((fine + 4e-4) / (coarse + 2e-3))
    drawn = coarse > 0.004
    if drawn.mean() < 0.05:
        return None
    low, high = np.percentile(ratio[drawn], [15, 95])
    if high - low < FOCUS_AT:
        return None
    return np.asarray(np.clip((ratio - low) / (high - low), 0, 1) * np.clip(fine / 0.004, 0, 1), np.float32)


def find_subject(lab: Float32, srgb: Float32) -> tuple[Float32, float] | None:
    """Which pixels (h, w) are the main subject's, and how sure that is (0..1); None where nothing stands out. ``lab`` (3, h, w)
    Oklab, ``srgb`` (h, w, 3) 0..1 of the same picture."""
    height, width = lab.shape[1:]
    if min(height, width) < 16:
        return None
    scale = min(LONG_EDGE / max(height, width), 1.0)
    size = (max(round(width * scale), 8), max(round(height * scale), 8))
    small = np.ascontiguousarray(np.stack([cv2.resize(p, size, interpolation=cv2.INTER_AREA) for p in lab]), np.float32)
    sharp = sharp_parts(lab[0])
    small_sharp = None if sharp is None else np.asarray(cv2.resize(sharp, size, interpolation=cv2.INTER_AREA), np.float32)
    shown = standing_out(small, small_sharp)
    level, _ = cv2.threshold(np.rint(255 * shown).astype(np.uint8), 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    area = _cut(srgb, np.asarray(cv2.resize(shown, (width, height), interpolation=cv2.INTER_LINEAR), np.float32), level / 255)
    share = float((area > 0.5).mean())
    if not 0.003 < share < 0.75:
        return None
    inside = cv2.resize(area, size, interpolation=cv2.INTER_AREA) > 0.5
    if not inside.any() or inside.all():
        return None
    apart = float(shown[inside].mean() - shown[~inside].mean())
    # the rest of the picture's border has to be the rest of the picture
    rim = np.concatenate([area[0], area[-1], area[:, 0], area[:, -1]])
    sure = float(np.clip((apart - LEAST_APART) / 0.6, 0, 1) * (1 - 0.7 * rim.mean()))
    return (area, sure) if sure > LEAST_SURE else None


def _cut(srgb: Float32, shown: Float32, level: float) -> Float32:
    """(h, w) 0..1 the outline along edges, of how much places stand out."""
    height, width = shown.shape
    scale = min(384 / max(height, width), 1.0)
    size = (max(round(width * scale), 8), max(round(height * scale), 8))
    picture = np.rint(255 * cv2.resize(srgb, size, interpolation=cv2.INTER_AREA)).astype(np.uint8)
    small = cv2.resize(shown, size, interpolation=cv2.INTER_AREA)
    known = np.full(small.shape, cv2.GC_PR_BGD, np.uint8)
    known[small > level] = cv2.GC_PR_FGD
    known[small > level + 0.6 * (1 - level)] = cv2.GC_FGD
    known[small < 0.35 * level] = cv2.GC_BGD
    kinds = [int((known == k).sum()) for k in (cv2.GC_PR_FGD, cv2.GC_FGD)]
    if sum(kinds) < 30 or sum(kinds) > known.size - 30:
        return np.asarray(shown > level, np.float32)
    cv2.setRNGSeed(1)
    cv2.grabCut(picture, known, None, np.zeros((1, 65)), np.zeros((1, 65)), 3, cv2.GC_INIT_WITH_MASK)
    mask = np.isin(known, (cv2.GC_FGD, cv2.GC_PR_FGD)).astype(np.uint8)
    number, parts, facts, _ = cv2.connectedComponentsWithStats(mask, connectivity=8)
    # crumbs are nobody's subject
    kept = np.array([k > 0 and facts[k, cv2.CC_STAT_AREA] > 0.08 * facts[1:, cv2.CC_STAT_AREA].max() for k in range(number)])
    mask = kept[parts].astype(np.float32)
    return np.asarray(np.clip(cv2.resize(mask, (width, height), interpolation=cv2.INTER_LINEAR), 0, 1), np.float32)
