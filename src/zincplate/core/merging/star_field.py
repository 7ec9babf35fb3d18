"""Stars in a picture, and which of them are the same in two pictures.

Stars are local maxima above a smooth background, placed by Gaussian-windowed centroids (Bertin & Arnouts, A&AS 117, 1996; the
windowed positions of their later manual). Two fields are matched by triangles of neighbouring stars, which keep the ratios of
their sides when the sky turns (Groth, AJ 91, 1986; Valdes et al., PASP 107, 1995), and the similarity that most of them agree on.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

MESH_PX = 48
ABOVE = 7.0
"""Standard deviations of the background that a star rises above it."""
MOST_STARS = 300
BUSY_PX, BUSY = 25, 0.03
"""Share of an area below three deviations, from which on it is no sky."""
ROUGH = 4.0
"""Deviations of the background, of which the surroundings of a star have less."""
BRIGHTEST = 70
NEIGHBOURS = 6
SIDES_ALIKE = 0.006
WINDOW_PX = 4
SHAPE_PX = 2.2
FEWEST = 8
STILL_PX, STILL_SHARE, LEAST_LEFT = 0.7, 0.6, 0.15
NEAR_PX = 3.0


@dataclass(frozen=True)
class Stars:
    """The brightest first."""

    places: Float64
    """(n, 2) x, y."""
    flux: Float64
    """(n,) above the background."""
    size_px: Float64
    """(n,) root of the mean second moment, seen through a Gaussian window of ``SHAPE_PX``: a Gaussian of sigma s is
    1 / sqrt(1 / s**2 + 1 / SHAPE_PX**2)."""
    elongation: Float64
    """(n,) long over short axis, seen through the same."""
    deviation: float = 0.0
    """Of the picture about its smooth background."""


def background(plane: Float32) -> tuple[Float32, float]:
    """A smooth background (h, w) and the deviation about it: medians over a mesh, enlarged."""
    h, w = plane.shape
    rows, columns = max(h // MESH_PX, 1), max(w // MESH_PX, 1)
    blocks = plane[: h // rows * rows, : w // columns * columns].reshape(rows, h // rows, columns, w // columns)
    mesh = np.median(blocks, axis=(1, 3)).astype(np.float32)
    if min(mesh.shape) >= 3:  # going on straight beyond the outer meshes' middles, before a lamp in one of them is taken out
        mesh = cv2.medianBlur(np.pad(mesh, 2, mode="reflect", reflect_type="odd"), 3)[1:-1, 1:-1]
        high, wide = round(h / rows), round(w / columns)
        whole = cv2.resize(mesh, (w + 2 * wide, h + 2 * high), interpolation=cv2.INTER_CUBIC)
        smooth = np.ascontiguousarray(whole[high : high + h, wide : wide + w], np.float32)
    else:
        smooth = np.full((h, w), np.median(mesh), np.float32)
    rest = (plane - smooth)[::3, ::3]
    return smooth, float(1.4826 * np.median(np.abs(rest - np.median(rest))))


def stars_of(plane: Float32, saturated: float) -> Stars:
    """Stars of a linear plane (h, w). What lies on land is dropped by its shape: a star is round and small."""
    smooth, deviation = background(plane)
    rest = plane - smooth
    soft = cv2.GaussianBlur(rest, (0, 0), 1.0)
    peaks = (soft >= cv2.dilate(soft, np.ones((7, 7), np.uint8))) & (soft > ABOVE * deviation * 0.4) & (rest > ABOVE * deviation)
    # land is rough both ways, a sky only upwards, at its stars
    busy = cv2.boxFilter((rest < -3 * deviation).astype(np.float32), -1, (BUSY_PX, BUSY_PX)) > BUSY
    peaks &= ~cv2.dilate(busy.astype(np.uint8), np.ones((BUSY_PX, BUSY_PX), np.uint8)).astype(bool)
    edge = WINDOW_PX + 2
    peaks[:edge], peaks[-edge:], peaks[:, :edge], peaks[:, -edge:] = False, False, False, False
    y, x = np.nonzero(peaks & (plane < saturated))
    order = np.argsort(-soft[y, x])[: 3 * MOST_STARS]
    found = _measured(rest, x[order], y[order], deviation)
    best = np.argsort(-found[:, 2])[:MOST_STARS]
    return Stars(found[best, :2], found[best, 2], found[best, 3], found[best, 4], deviation)


def _measured(rest: Float32, x: NDArray[np.int64], y: NDArray[np.int64], deviation: float) -> Float64:
    """(n, 5) x, y, flux, size, elongation of those places that are stars."""
    reach = np.arange(-WINDOW_PX, WINDOW_PX + 1)
    part = rest[y[:, None, None] + reach[:, None], x[:, None, None] + reach].astype(np.float64)
    rim = np.concatenate([part[:, 0], part[:, -1], part[:, 1:-1, 0], part[:, 1:-1, -1]], 1)
    calm = rim.std(1) <= ROUGH * deviation  # else it is land
    part = part - np.median(rim, 1)[:, None, None]
    yy, xx = np.meshgrid(reach, reach, indexing="ij")
    dx, dy = np.zeros(len(x)), np.zeros(len(x))

    def windowed(sigma: float, values: Float64) -> tuple[Float64, Float64, Float64, Float64]:
        u, v = xx - dx[:, None, None], yy - dy[:, None, None]
        window = np.exp(-(u * u + v * v) / (2 * sigma**2)) * values
        return window, u, v, np.maximum(window.sum((1, 2)), 1e-12)

    for _ in range(6):
        window, u, v, total = windowed(1.6, part)
        dx = np.clip(dx + 2 * (window * u).sum((1, 2)) / total, -2.5, 2.5)
        dy = np.clip(dy + 2 * (window * v).sum((1, 2)) / total, -2.5, 2.5)
    window, u, v, total = windowed(SHAPE_PX, np.maximum(part, 0))
    flux = (part * (u * u + v * v <= (WINDOW_PX - 0.5) ** 2)).sum((1, 2))
    a, b, c = ((window * m).sum((1, 2)) / total for m in (u * u, u * v, v * v))
    spread = np.sqrt(((a - c) / 2) ** 2 + b * b)
    large, small = (a + c) / 2 + spread, np.maximum((a + c) / 2 - spread, 1e-3)
    good = calm & (np.abs(dx) < 2) & (np.abs(dy) < 2) & (flux > ABOVE * deviation) & (large < 5) & (large < 9 * small)
    out = np.stack([x + dx, y + dy, flux, np.sqrt((large + small) / 2), np.sqrt(large / small)], 1)
    return np.asarray(out[good])


def without_still(fields: Sequence[Stars]) -> list[Stars]:
    """Fields without what stands still while the sky turns: lamps and edges of the land, hot sites. Where hardly anything is left
    the mount followed the sky, and all of it stays."""
    out = []
    trees = [cKDTree(f.places) if len(f.places) else None for f in fields]
    for k, field in enumerate(fields):
        if not len(field.places):
            out.append(field)
            continue
        seen = np.zeros(len(field.places))
        for j, tree in enumerate(trees):
            if j != k and tree is not None:
                distance, _ = tree.query(field.places)
                seen += distance < STILL_PX
        moves = seen < STILL_SHARE * (len(fields) - 1)
        out.append(Stars(field.places[moves], field.flux[moves], field.size_px[moves], field.elongation[moves], field.deviation))
    left = np.median([len(f.places) for f in out])
    return out if left >= LEAST_LEFT * np.median([len(f.places) for f in fields]) else list(fields)


def _triangles(places: Float64) -> tuple[Float64, NDArray[np.int64]]:
    """Ratios of sides (n, 2) of triangles of near stars, and their corners (n, 3) in the order of the sides opposite."""
    if len(places) < 4:
        return np.empty((0, 2)), np.empty((0, 3), np.int64)
    _, near = cKDTree(places).query(places, k=min(NEIGHBOURS + 1, len(places)))
    corners = set()
    for row in near:
        for i in range(1, len(row)):
            for j in range(i + 1, len(row)):
                corners.add(tuple(sorted((int(row[0]), int(row[i]), int(row[j])))))
    trios = np.array(sorted(corners), np.int64)
    a, b, c = (places[trios[:, k]] for k in range(3))
    sides = np.stack([np.hypot(*(b - c).T), np.hypot(*(c - a).T), np.hypot(*(a - b).T)], 1)
    order = np.argsort(sides, 1)
    sides = np.take_along_axis(sides, order, 1)
    trios = np.take_along_axis(trios, order, 1)
    # the same way round only: a picture is not mirrored
    first, second, third = (places[trios[:, k]] for k in range(3))
    turn = np.sign(np.cross(second - first, third - first))
    good = (sides[:, 0] > 8) & (sides[:, 2] > 1.02 * sides[:, 1]) & (sides[:, 1] > 1.02 * sides[:, 0])
    ratios = np.stack([sides[:, 0] / sides[:, 2] * turn, sides[:, 1] / sides[:, 2]], 1)
    return ratios[good], trios[good]


def same_stars(first: Stars, second: Stars) -> tuple[NDArray[np.int64], NDArray[np.int64]] | None:
    """Indices of stars that are the same in two pictures; None when their skies have too little in common."""
    a, b = first.places[:BRIGHTEST], second.places[:BRIGHTEST]
    (ratios_a, trios_a), (ratios_b, trios_b) = _triangles(a), _triangles(b)
    if not len(ratios_a) or not len(ratios_b):
        return None
    hits = cKDTree(ratios_b).query_ball_point(ratios_a, SIDES_ALIKE)
    best: tuple[int, Float64] | None = None
    tree = cKDTree(b)
    tried = 0
    for i, found in enumerate(hits):
        for j in found:
            matrix = _similarity(a[trios_a[i]], b[trios_b[j]])
            if matrix is None:
                continue
            tried += 1
            distance, _ = tree.query(a @ matrix[:, :2].T + matrix[:, 2])
            count = int((distance < NEAR_PX).sum())
            if best is None or count > best[0]:
                best = count, matrix
        if tried > 4000 or (best is not None and best[0] > 0.6 * len(a)):
            break
    if best is None or best[0] < FEWEST:
        return None
    matrix = best[1]
    tree = cKDTree(second.places)
    # the similarity is near; a lens and a wide sky bend it further out: neighbours follow a homography that is fitted to them
    moved = first.places @ matrix[:, :2].T + matrix[:, 2]
    for reach in (NEAR_PX, NEAR_PX, 2 * NEAR_PX, NEAR_PX / 2):
        distance, index = tree.query(moved)
        near = distance < reach
        if near.sum() < FEWEST:
            return None
        found_h, _ = cv2.findHomography(first.places[near], second.places[index[near]], cv2.RANSAC, max(reach / 2, 1.0))
        if found_h is None:
            return None
        moved = cv2.perspectiveTransform(first.places[None], found_h)[0]
    distance, index = tree.query(moved)
    near = np.flatnonzero(distance < NEAR_PX / 2)
    _, once = np.unique(index[near], return_index=True)
    near = near[once]
    return (near.astype(np.int64), index[near].astype(np.int64)) if len(near) >= FEWEST else None


def _similarity(a: Float64, b: Float64) -> Float64 | None:
    """(2, 3) turn, scale and shift that takes three places to three; None when it scales."""
    za, zb = a[:, 0] + 1j * a[:, 1], b[:, 0] + 1j * b[:, 1]
    ma, mb = za.mean(), zb.mean()
    factor = (np.conj(za - ma) @ (zb - mb)) / max(float((np.abs(za - ma) ** 2).sum()), 1e-9)
    if not 0.9 < abs(factor) < 1.1:
        return None
    shift = mb - factor * ma
    return np.array([[factor.real, -factor.imag, shift.real], [factor.imag, factor.real, shift.imag]])
