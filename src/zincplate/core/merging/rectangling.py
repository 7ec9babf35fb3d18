"""Bending an irregular outline into a rectangle (He, Chang & Sun, "Rectangling panoramic images via warping", ACM Transactions on
Graphics 32, 2013): seams are put into the picture until its outline is one, which gives a lattice its first places; then the
lattice is found that keeps its cells' shapes and straight lines straight while its edge is the rectangle's.
"""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import LinearNDInterpolator, RectBivariateSpline
from scipy.sparse import coo_matrix
from scipy.sparse.linalg import spsolve

from zincplate.core.merging.carving import cheapest_seam

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]
Mask = NDArray[np.bool_]

LONG_EDGE_PX = 500
"""Of the picture in which the bend is looked for."""
CELLS = 400
LINE_WEIGHT, EDGE_WEIGHT = 100.0, 1e6
ANGLES = 50
ROUNDS = 6
MISSING = 1e6


@dataclass(frozen=True)
class Bend:
    """Where places of the bent picture lie in the one before: a lattice and the smooth surface through it."""

    x: Float64
    y: Float64
    """(n,), (m,) lattice lines of the bent picture, in pixels."""
    places: Float64
    """(m, n, 2) where they lie."""
    off: tuple[float, float] = (0.0, 0.0)

    @cached_property
    def _surfaces(self) -> tuple[RectBivariateSpline, RectBivariateSpline]:
        one, two = (RectBivariateSpline(self.y, self.x, self.places[..., i], kx=3, ky=3) for i in (0, 1))
        return one, two

    def at(self, x: Float64, y: Float64) -> tuple[Float64, Float64]:
        """Places (any shape) before bending."""
        one, two = self._surfaces
        fx, fy = np.ravel(x) + self.off[0], np.ravel(y) + self.off[1]
        return one.ev(fy, fx).reshape(np.shape(x)), two.ev(fy, fx).reshape(np.shape(x))

    def moved(self, x: float, y: float) -> "Bend":
        """The same for a part of the bent picture that begins at (x, y)."""
        return Bend(self.x, self.y, self.places, (self.off[0] + x, self.off[1] + y))


def _longest(covered: Mask) -> tuple[int, int, int]:
    """Side (0 left, 1 right, 2 top, 3 bottom) of the longest run of missing pixels at the edge, its begin and end."""
    best = (0, 0, 0)
    for side, line in enumerate((covered[:, 0], covered[:, -1], covered[0], covered[-1])):
        missing = np.concatenate([[False], ~line, [False]])
        ends = np.flatnonzero(missing[1:] != missing[:-1])
        for begin, end in zip(ends[::2], ends[1::2], strict=True):
            if end - begin > best[2] - best[1]:
                best = (side, int(begin), int(end))
    return best


def _carved(light: Float32, covered: Mask) -> Float64:
    """(2, h, w): where each pixel of the rectangle came from (x, y), by seams put in at the longest gaps first."""
    h, w = covered.shape
    light, covered = light.copy(), covered.copy()
    from_x, from_y = np.meshgrid(np.arange(w, dtype=np.float64), np.arange(h, dtype=np.float64))
    energy = _energy(light)
    for _ in range(2 * (h + w)):
        side, begin, end = _longest(covered)
        if end == begin:
            break
        planes: list[NDArray[Any]] = [light, covered, from_x, from_y, energy]
        views = [p.T if side > 1 else p for p in planes]
        views = [v[:, ::-1] if side in (0, 2) else v for v in views]
        part = [v[begin:end] for v in views]
        # the gap is now at the right: what lies right of the seam goes one to the right
        seam = cheapest_seam(np.ascontiguousarray(part[4], np.float64), np.ascontiguousarray(part[1]), MISSING)
        for row, x in enumerate(seam):
            for p in part:
                p[row, x + 1 :] = p[row, x:-1].copy()
            part[4][row, x : x + 2] += 0.5  # the same place is not drawn out again and again
    return np.stack([from_x, from_y])


def _energy(light: Float32) -> Float64:
    gx, gy = (cv2.Sobel(light, cv2.CV_32F, *o, ksize=3, scale=1 / 8) for o in ((1, 0), (0, 1)))
    return np.asarray(np.abs(gx) + np.abs(gy) + 0.01, np.float64)


def rectangled(light: Float32, covered: Mask, width: int, height: int, amount: float) -> Bend | None:
    """The bend (amount 0 to 1) of a canvas of ``width`` x ``height`` pixels, from its picture (h, w; logarithms of light) and
    what of it is covered, at any reduced size. None when there is nothing to bend, or too little is covered."""
    scale = min(LONG_EDGE_PX / max(covered.shape), 1.0)
    size = max(int(covered.shape[1] * scale), 16), max(int(covered.shape[0] * scale), 16)
    light = cv2.resize(light, size, interpolation=cv2.INTER_AREA)
    small = cv2.resize(covered.astype(np.float32), size, interpolation=cv2.INTER_AREA) > 0.99
    if small.all() or small.mean() < 0.3:
        return None
    w, h = size
    origin = _carved(light, small)
    rows = max(round(np.sqrt(CELLS * h / w)), 4)
    columns = max(round(CELLS / rows), 4)
    at_x, at_y = np.linspace(0, w - 1, columns + 1), np.linspace(0, h - 1, rows + 1)
    xx, yy = np.meshgrid(at_x, at_y)
    before = np.stack(
        [cv2.remap(o.astype(np.float32), xx.astype(np.float32), yy.astype(np.float32), cv2.INTER_LINEAR) for o in origin], -1
    )
    after = _solved(before.astype(np.float64), w, h, _lines(light, small))
    places = _inverse(before.astype(np.float64), after, w, h, columns + 1, rows + 1)
    identity = np.stack([xx, yy], -1)
    mixed = identity + amount * (places - identity)
    grow = np.array([width / w, height / h])
    return Bend((at_x + 0.5) * grow[0], (at_y + 0.5) * grow[1], (mixed + 0.5) * grow)


def _lines(light: Float32, covered: Mask) -> Float64:
    """(n, 4) straight lines x1, y1, x2, y2 in what is covered."""
    low, high = np.quantile(light[covered], (0.01, 0.99))
    eight = np.clip((light - low) / max(float(high - low), 1e-6) * 255, 0, 255).astype(np.uint8)
    found = cv2.createLineSegmentDetector(cv2.LSD_REFINE_STD).detect(eight)[0]
    if found is None:
        return np.empty((0, 4))
    lines = found.reshape(-1, 4).astype(np.float64)
    lines = lines[np.hypot(lines[:, 2] - lines[:, 0], lines[:, 3] - lines[:, 1]) > 8]
    sure = cv2.erode(covered.astype(np.uint8), np.ones((5, 5), np.uint8), borderValue=0) > 0
    h, w = covered.shape
    ends = [sure[np.clip(lines[:, i + 1].astype(int), 0, h - 1), np.clip(lines[:, i].astype(int), 0, w - 1)] for i in (0, 2)]
    return np.asarray(lines[ends[0] & ends[1]])


def _quads(lattice: Float64) -> Float64:
    """(cells, 4, 2) corners: left upper, right upper, left lower, right lower."""
    return np.stack([lattice[:-1, :-1], lattice[:-1, 1:], lattice[1:, :-1], lattice[1:, 1:]], 2).reshape(-1, 4, 2)


def _solved(before: Float64, w: int, h: int, lines: Float64) -> Float64:
    """Lattice (m, n, 2) on the rectangle, for a lattice on the picture."""
    m, n = before.shape[:2]
    number = np.arange(m * n).reshape(m, n)
    cells = np.stack([number[:-1, :-1], number[:-1, 1:], number[1:, :-1], number[1:, 1:]], 2).reshape(-1, 4)
    quads = _quads(before)
    rows: list[NDArray[np.int64]] = []
    columns: list[NDArray[np.int64]] = []
    values: list[Float64] = []
    at = 0

    def add(block: Float64, nodes: NDArray[np.int64], weight: float) -> None:
        nonlocal at
        wide = np.stack([2 * nodes, 2 * nodes + 1], 1).ravel()
        r, c = np.nonzero(np.abs(block) > 1e-12)
        rows.append(at + r)
        columns.append(wide[c])
        values.append(block[r, c] * weight)
        at += block.shape[0]

    # shapes: each cell is a similarity of what it was (equation 2)
    share = 1 / np.sqrt(len(cells))
    for quad, nodes in zip(quads, cells, strict=True):
        a = np.zeros((8, 4))
        a[0::2] = np.column_stack([quad[:, 0], -quad[:, 1], np.ones(4), np.zeros(4)])
        a[1::2] = np.column_stack([quad[:, 1], quad[:, 0], np.zeros(4), np.ones(4)])
        add(a @ np.linalg.pinv(a) - np.eye(8), nodes, share)
    edges, aims = [], []
    for nodes, axis, value in (
        (number[:, 0], 0, 0.0),
        (number[:, -1], 0, w - 1.0),
        (number[0], 1, 0.0),
        (number[-1], 1, h - 1.0),
    ):
        edges += [2 * int(k) + axis for k in nodes]
        aims += [value] * len(nodes)
    pieces = _cut(lines, quads)
    fixed = (list(rows), list(columns), list(values), at)
    after = np.stack(np.meshgrid(np.linspace(0, w - 1, n), np.linspace(0, h - 1, m)), -1)
    turns = np.zeros(ANGLES)
    for _ in range(ROUNDS if pieces else 1):
        rows, columns, values, at = list(fixed[0]), list(fixed[1]), list(fixed[2]), fixed[3]
        for cell, ends, angle in pieces:
            # the piece keeps its length's direction, turned as its angle's bin is (equation 4)
            e = np.zeros((2, 8))
            for k in range(4):
                e[0, 2 * k] = e[1, 2 * k + 1] = ends[1][k] - ends[0][k]
            d = _vector(quads[cell], ends)
            c, s = np.cos(turns[angle]), np.sin(turns[angle])
            turned = np.array([[c, -s], [s, c]]) @ d[:, None]
            project = turned @ turned.T / float(d @ d) - np.eye(2)
            add(project @ e, cells[cell], np.sqrt(LINE_WEIGHT / len(pieces)))
        count = len(edges)
        rows.append(np.arange(at, at + count))
        columns.append(np.array(edges))
        values.append(np.full(count, np.sqrt(EDGE_WEIGHT)))
        right = np.zeros(at + count)
        right[at:] = np.array(aims) * np.sqrt(EDGE_WEIGHT)
        matrix = coo_matrix(
            (np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))), shape=(at + count, 2 * m * n)
        ).tocsr()
        after = spsolve((matrix.T @ matrix).tocsc(), matrix.T @ right).reshape(m, n, 2)
        if not pieces:
            break
        found = _quads(after)
        sums, counts = np.zeros(ANGLES), np.zeros(ANGLES)
        for cell, ends, angle in pieces:
            old, new = _vector(quads[cell], ends), _vector(found[cell], ends)
            sums[angle] += np.arctan2(old[0] * new[1] - old[1] * new[0], old @ new)
            counts[angle] += 1
        turns = sums / np.maximum(counts, 1)
    return np.asarray(after)


def _vector(quad: Float64, ends: Float64) -> Float64:
    return np.asarray((ends[1] - ends[0]) @ quad)


def _cut(lines: Float64, quads: Float64) -> list[tuple[int, Float64, int]]:
    """Lines cut into pieces of one cell each: the cell, both ends' weights (2, 4) of its corners, the angle's number."""
    out: list[tuple[int, Float64, int]] = []
    if not len(lines):
        return out
    middles = quads.mean(1)
    for x1, y1, x2, y2 in lines:
        angle = int(((np.arctan2(y2 - y1, x2 - x1) + np.pi / 2) % np.pi) / np.pi * ANGLES) % ANGLES
        steps = max(int(np.hypot(x2 - x1, y2 - y1) / 3), 2)
        t = np.linspace(0, 1, steps + 1)
        points = np.stack([x1 + (x2 - x1) * t, y1 + (y2 - y1) * t], 1)
        inside = []
        for point in points:
            for cell in np.argsort(((middles - point) ** 2).sum(1))[:4]:
                weights = _bilinear(quads[cell], point)
                if weights is not None:
                    inside.append((int(cell), weights))
                    break
            else:
                inside.append((-1, np.zeros(4)))
        begin = 0
        for k in range(1, len(inside) + 1):
            if k == len(inside) or inside[k][0] != inside[begin][0]:
                if inside[begin][0] >= 0 and k - begin > 1:
                    out.append((inside[begin][0], np.stack([inside[begin][1], inside[k - 1][1]]), angle))
                begin = k
    return out


def _bilinear(quad: Float64, point: Float64) -> Float64 | None:
    """Weights (4,) of a cell's corners that give a place inside it; None outside."""
    u = v = 0.5
    a, b, c, d = quad
    for _ in range(6):  # Newton
        at = (1 - u) * (1 - v) * a + u * (1 - v) * b + (1 - u) * v * c + u * v * d
        du, dv = (1 - v) * (b - a) + v * (d - c), (1 - u) * (c - a) + u * (d - b)
        det = du[0] * dv[1] - du[1] * dv[0]
        if abs(det) < 1e-9:
            return None
        r = point - at
        u, v = u + (r[0] * dv[1] - r[1] * dv[0]) / det, v + (du[0] * r[1] - du[1] * r[0]) / det
    if not (-0.01 <= u <= 1.01 and -0.01 <= v <= 1.01):
        return None
    return np.array([(1 - u) * (1 - v), u * (1 - v), (1 - u) * v, u * v])


def _inverse(before: Float64, after: Float64, w: int, h: int, columns: int, rows: int) -> Float64:
    """(rows, columns, 2) where an even lattice on the rectangle lies in the picture."""
    fine = 4
    m, n = before.shape[:2]
    v, u = np.meshgrid(np.linspace(0, m - 1, (m - 1) * fine + 1), np.linspace(0, n - 1, (n - 1) * fine + 1), indexing="ij")
    dense = [
        np.stack(
            [
                cv2.remap(p[..., i].astype(np.float32), u.astype(np.float32), v.astype(np.float32), cv2.INTER_LINEAR)
                for i in (0, 1)
            ],
            -1,
        )
        for p in (before, after)
    ]
    surface = LinearNDInterpolator(dense[1].reshape(-1, 2), dense[0].reshape(-1, 2))
    inner = 1e-3
    xx, yy = np.meshgrid(np.linspace(inner, w - 1 - inner, columns), np.linspace(inner, h - 1 - inner, rows))
    found = surface(xx, yy)
    bad = ~np.isfinite(found).all(-1)
    found[bad] = np.stack([xx, yy], -1)[bad]
    return np.asarray(found)
