"""The largest rectangle of a given ratio inside a closed outline, and among equal ones the nearest to the middle.

In coordinates in which the rectangle is a square of half side 1, its size about a centre is the Chebyshev distance from there to
the outline: the square may grow until it meets a segment. An outline has four sides. Against one that is straight or bulges out
the square must stay on the inner side of every segment's line; against one that a corrected lens has bent in it stays clear of
what it meets first. Both are planes over the centre's place, so that small linear programs climb to the maximum (they are solved
by trying the corners of their constraints: an optimum is at a vertex, Dantzig 1951), and where many centres are as good a
quadratic one goes to the nearest to the middle. Sides that are bent in may leave several maxima: there the peaks of a grid are
followed by a pattern search (Hooke and Jeeves 1961).
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray

Float64 = NDArray[np.float64]

SIDES = 4
FROM_A_SIDE = 4
"""Segments of each side that take part in one program."""
ROUNDS = 60
GRID, PEAKS = 15, 4
"""Places of the grid by either side, and how many of its peaks are followed."""
TIE = 1e-7
"""Rectangles whose sizes differ by less, relative, are equal."""


def largest_square(outline: Float64, start: Float64, middle: Float64) -> tuple[Float64, float]:
    """Centre (2,) and half side of the largest square inside a closed outline (n, 2), sought from a point inside it; among equal
    ones the nearest to ``middle``. In the outline's own units. Its four sides have n / 4 segments each."""
    shape = _Shape(outline)
    extent = max(float(np.ptp(outline, 0).max()), 1.0)
    found = [_climbed(shape, start, extent)]
    if shape.bent_in.any():
        for x, y in (found[0][0], *_peaks(outline)):
            x, y, size = _searched(outline, x, y, extent / GRID)
            found.append((np.array([x, y]), size))
    centre, size = max(found, key=lambda pair: pair[1])
    return _nearest(shape, centre, size, middle), size


def _climbed(shape: "_Shape", centre: Float64, extent: float) -> tuple[Float64, float]:
    """From a place upwards over the planes of what is met."""
    size, reach = shape.size_at(centre), extent / 2
    for _ in range(ROUNDS):
        if reach < 1e-9 * extent:
            break
        step, hoped = _climb(*shape.planes(centre), reach)
        if hoped <= size + 1e-9 * extent:
            break
        there = centre + step
        found = shape.size_at(there)
        if found > size + 1e-12 * extent:
            centre, size = there, found
        else:
            reach /= 8
    return centre, size


@njit(cache=True, nogil=True)
def _size_at(outline, x, y):
    """Half side of the largest square about a place: its Chebyshev distance to the nearest segment; 0 outside."""
    inside = False
    least = np.inf
    count = len(outline)
    for i in range(count):
        j = i + 1 if i + 1 < count else 0
        ax, ay = outline[i, 0] - x, outline[i, 1] - y
        dx, dy = outline[j, 0] - outline[i, 0], outline[j, 1] - outline[i, 1]
        if (ay > 0) != (outline[j, 1] - y > 0) and ax - ay * dx / dy > 0:
            inside = not inside
        least = min(least, max(abs(ax), abs(ay)))
        # where along the segment both distances are alike: |x| = |y|
        if dx != dy:
            t = min(max(-(ax - ay) / (dx - dy), 0.0), 1.0)
            least = min(least, max(abs(ax + t * dx), abs(ay + t * dy)))
        if dx != -dy:
            t = min(max(-(ax + ay) / (dx + dy), 0.0), 1.0)
            least = min(least, max(abs(ax + t * dx), abs(ay + t * dy)))
    return least if inside else 0.0


@njit(cache=True, nogil=True)
def _searched(outline, x, y, step):
    """From a place to better ones about it, in steps that become smaller: x, y, half side."""
    size, least = _size_at(outline, x, y), step * 1e-6
    while step > least:
        better, at_x, at_y = size + 1e-3 * step, x, y
        found = False
        for i in range(-1, 2):
            for k in range(-1, 2):
                there = _size_at(outline, x + i * step, y + k * step)
                if there > better:
                    better, at_x, at_y, found = there, x + i * step, y + k * step, True
        if found:
            size, x, y = better, at_x, at_y
        else:
            step /= 3
    return x, y, size


@njit(cache=True, nogil=True)
def _sizes_of_grid(outline, low_x, low_y, high_x, high_y, count):
    """Half sides about the places of a grid: (count, count) by x and y."""
    sizes = np.empty((count, count))
    for i in range(count):
        for k in range(count):
            x, y = low_x + (high_x - low_x) * (i + 0.5) / count, low_y + (high_y - low_y) * (k + 0.5) / count
            sizes[i, k] = _size_at(outline, x, y)
    return sizes


def _peaks(outline: Float64) -> Float64:
    """(n, 2) the best places of a grid that are better than those about them, at most :data:`PEAKS`."""
    low, high = outline.min(0), outline.max(0)
    sizes = _sizes_of_grid(outline, *low, *high, GRID)
    padded = np.pad(sizes, 1, constant_values=-1.0)
    about = np.stack([padded[i : i + GRID, k : k + GRID] for i in range(3) for k in range(3)])
    at = np.argwhere((sizes >= about.max(0)) & (sizes > 0))
    best = at[np.argsort(-sizes[tuple(at.T)], kind="stable")[:PEAKS]]
    return np.asarray(low + (high - low) * (best + 0.5) / GRID)


class _Shape:
    """The outline and what a square about a place meets of it."""

    def __init__(self, outline: Float64) -> None:
        self.outline = outline
        self.a, self.b = outline, np.roll(outline, -1, 0)
        along = self.b - self.a
        following = np.roll(along, -1, 0)
        turn = along[:, 0] * following[:, 1] - along[:, 1] * following[:, 0]
        area = float(outline[:, 0] @ np.roll(outline[:, 1], -1) - outline[:, 1] @ np.roll(outline[:, 0], -1))
        self.way = 1.0 if area > 0 else -1.0
        tiny = 1e-9 * (along**2).sum(1)
        bent_in = (turn * self.way < -tiny).reshape(SIDES, -1)[:, :-1].any(1)
        self.bent_in = np.repeat(bent_in, len(outline) // SIDES)
        # inward normals, so that a square of half side s about c is inside a line when normal . (c - a) >= s * weight
        self.normal = self.way * np.stack([-along[:, 1], along[:, 0]], 1)
        self.weight = np.maximum(np.abs(self.normal).sum(1), 1e-300)

    def size_at(self, place: Float64) -> float:
        """Half side of the largest square about a place; 0 outside."""
        return float(_size_at(self.outline, place[0], place[1]))

    def planes(self, centre: Float64) -> tuple[Float64, Float64]:
        """Distances (m,) and slopes (m, 2): a square about ``centre + step`` may be as large as the least of their sums."""
        distance, slope = _distances(self.a, self.b, centre)
        line = ((centre - self.a) * self.normal).sum(1) / self.weight
        free = ~self.bent_in
        distance[free], slope[free] = line[free], (self.normal / self.weight[:, None])[free]
        kept: list[int] = []
        for side in np.split(np.arange(len(distance)), SIDES):
            taken: list[int] = []
            for i in side[np.argsort(distance[side], kind="stable")]:
                if all(np.abs(slope[i] - slope[j]).max() > 1e-9 for j in taken):
                    taken.append(int(i))
                if len(taken) == (2 if self.bent_in[i] else FROM_A_SIDE):
                    break
            kept += taken
        return distance[kept], slope[kept]


def _distances(a: Float64, b: Float64, centre: Float64) -> tuple[Float64, Float64]:
    """Chebyshev distance (n,) from a centre to each segment, and its slope (n, 2) there."""
    from_a, along = a - centre, b - a
    with np.errstate(divide="ignore", invalid="ignore"):
        equal = -(from_a[:, 0] - from_a[:, 1]) / (along[:, 0] - along[:, 1])
        opposite = -(from_a[:, 0] + from_a[:, 1]) / (along[:, 0] + along[:, 1])
    t = np.stack([np.zeros(len(a)), np.ones(len(a)), equal, opposite], 1)
    t = np.clip(np.nan_to_num(t, nan=0.0, posinf=1.0, neginf=0.0), 0.0, 1.0)
    places = from_a[:, None] + t[..., None] * along[:, None]
    each = np.abs(places).max(-1)
    best = each.argmin(1)
    rows = np.arange(len(a))
    distance, place, at = each[rows, best], places[rows, best], t[rows, best]
    # a point meets a side of the square: that side's direction; the square's corner meets a segment: the segment's own normal
    axis = np.abs(place).argmax(1)
    slope = np.zeros_like(place)
    slope[rows, axis] = -np.sign(place[rows, axis])
    corner = (at > 0) & (at < 1) & (np.abs(np.abs(place[:, 0]) - np.abs(place[:, 1])) <= 1e-9 * np.maximum(distance, 1e-9))
    normal = np.stack([along[:, 1], -along[:, 0]], 1)
    normal *= -np.sign((normal * place).sum(1, keepdims=True))
    with np.errstate(invalid="ignore", divide="ignore"):
        unit = normal / np.abs(normal).sum(1, keepdims=True)
    slope[corner] = unit[corner]
    return distance, slope


def _climb(distance: Float64, slope: Float64, reach: float) -> tuple[Float64, float]:
    """The step (2,) of at most ``reach`` each way that makes the least of ``distance + slope . step`` greatest, and that."""
    # unknowns are step and size: size - slope . step <= distance, and the four sides of the reach
    rows = np.concatenate([np.column_stack([-slope, np.ones(len(slope))]), _BOX])
    limits = np.concatenate([distance, np.full(4, reach)])
    i, j, k = _triples(len(rows))
    # Cramer's rule for all of them at once
    a, b, c = rows[i], rows[j], rows[k]
    bc, ca, ab = np.cross(b, c), np.cross(c, a), np.cross(a, b)
    determinant = (a * bc).sum(1)
    solvable = np.abs(determinant) > 1e-12
    corners = limits[i][:, None] * bc + limits[j][:, None] * ca + limits[k][:, None] * ab
    corners = corners[solvable] / determinant[solvable, None]
    allowed = (corners @ rows.T <= limits + 1e-9 * max(reach, 1.0)).all(1)
    corners = corners[allowed]
    if not len(corners):
        return np.zeros(2), 0.0
    best = corners[corners[:, 2].argmax()]
    return np.asarray(best[:2]), float(best[2])


_BOX = np.array([[1.0, 0, 0], [-1, 0, 0], [0, 1, 0], [0, -1, 0]])
_TRIPLES: dict[int, tuple[NDArray[np.intp], NDArray[np.intp], NDArray[np.intp]]] = {}


def _triples(count: int) -> tuple[NDArray[np.intp], NDArray[np.intp], NDArray[np.intp]]:
    if count not in _TRIPLES:
        i, j, k = np.meshgrid(*[np.arange(count)] * 3, indexing="ij")
        kept = (i < j) & (j < k)
        _TRIPLES[count] = (i[kept], j[kept], k[kept])
    return _TRIPLES[count]


def _nearest(shape: _Shape, centre: Float64, size: float, middle: Float64) -> Float64:
    """The centre nearest to ``middle`` whose square is as large all the same."""
    least = size * (1 - TIE)
    for _ in range(ROUNDS // 4):
        distance, slope = shape.planes(centre)
        wanted = centre + _projected(middle - centre, slope, least - distance)
        share = 1.0
        while share > 1e-3 and shape.size_at(centre + share * (wanted - centre)) < least:
            share /= 2
        if share <= 1e-3 or float(np.abs(wanted - centre).max()) < 1e-9 * size:
            break
        centre = centre + share * (wanted - centre)
    return centre


def _projected(aim: Float64, slope: Float64, least: Float64) -> Float64:
    """The point (2,) nearest to ``aim`` with ``slope . point >= least`` for every row; 0 is taken to hold."""
    candidates = [aim, np.zeros(2)]
    squares = (slope**2).sum(1)
    candidates += list(aim + slope * ((least - slope @ aim) / squares)[:, None])
    for i in range(len(slope)):
        for j in range(i):
            pair = slope[[j, i]]
            if abs(np.linalg.det(pair)) > 1e-9:
                candidates.append(np.asarray(np.linalg.solve(pair, least[[j, i]]), np.float64))
    points = np.array(candidates)
    held = (points @ slope.T >= least - 1e-9 * (1 + np.abs(least))).all(1)
    points = points[held]
    if not len(points):
        return np.zeros(2)
    return np.asarray(points[((points - aim) ** 2).sum(1).argmin()])


def surrounded(outline: Float64, place: Float64) -> bool:
    """Whether a closed outline (n, 2) has a place within it, by the crossings of a ray."""
    a, b = outline, np.roll(outline, -1, 0)
    x, y = place
    crosses = (a[:, 1] > y) != (b[:, 1] > y)
    with np.errstate(divide="ignore", invalid="ignore"):
        at = a[:, 0] + (y - a[:, 1]) * (b[:, 0] - a[:, 0]) / (b[:, 1] - a[:, 1])
    return bool((crosses & (x < at)).sum() % 2)
