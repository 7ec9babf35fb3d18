"""What frames give way where near things stand elsewhere before the far ones: the camera moved between them.

A turning camera brings what lies far away onto itself. What is nearer is brought there by a smooth field of displacements for
each frame, found for all frames together from the places that they share: the meshes of least energy of "Content-preserving warps
for 3D video stabilization" (Liu, Gleicher, Jin & Agarwala, ACM TOG 28, 2009), as panoramas use them (Zhang & Liu,
"Parallax-tolerant image stitching", CVPR 2014), here as cubic B-splines (Rueckert et al., IEEE TMI 18, 1999), with places that do
not agree counting less (Geman & McClure 1985). Limits: where depth leaps a smooth field cannot; seams have to go round that.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.linalg import cho_factor, cho_solve
from scipy.sparse.linalg import LinearOperator, cg

from zincplate.core.merging.turning_camera import TurningCamera

Float64 = NDArray[np.float64]

CELLS = 20
"""Of a field, along the longer side of a frame."""
LARGEST, STEEPEST, ROUGHEST = 0.02, 0.004, 0.0015
"""Of long edges: what a field is expected to displace, to change from one point of control to the next, and to bend there."""
LOOSEST, ROUNDS = 8.0, 5
"""Places farther off than so many deviations count little at first; in the end those beyond three."""
CLOSE, MOST_STEPS = 1e-3, 40
"""Of the conjugate gradients."""
DERIVED_PX = 0.5


@dataclass(frozen=True)
class Field:
    """Displacements (x, y) of a frame's places without distortion, from its middle, in pixels: cubic B-splines."""

    left: float
    top: float
    cell_px: float
    control: Float64
    """(rows, columns, 2), the first a cell before (left, top)."""

    def at(self, places: Float64) -> Float64:
        """(n, 2) places -> (n, 2) displacements; beyond the field those of its edge."""
        index, weight = _basis(self, places)
        return np.asarray((self.control.reshape(-1, 2)[index] * weight[..., None]).sum(1))

    def moved(self, places: Float64) -> Float64:
        """Where the camera alone would look -> where the frame is looked at."""
        return np.asarray(places + self.at(places))

    def unmoved(self, places: Float64) -> Float64:
        """The other way, by a few steps towards it."""
        out = places - self.at(places)
        for _ in range(6):
            out = places - self.at(out)
        return np.asarray(out)

    @property
    def most_px(self) -> float:
        """The largest displacement of a point of control: no place is moved farther."""
        return float(np.hypot(*self.control.reshape(-1, 2).T).max())


@dataclass(frozen=True)
class Link:
    """Places (n, 2) without distortion, from the middles of two frames, that show the same, and how well they are known."""

    first: int
    second: int
    places_1: Float64
    places_2: Float64
    deviation_px: float


def still(width: float, height: float) -> Field:
    """A field over a frame that displaces nothing."""
    cell = max(width, height) / CELLS
    columns, rows = int(np.ceil(width / cell)) + 3, int(np.ceil(height / cell)) + 3
    return Field(-width / 2, -height / 2, cell, np.zeros((rows, columns, 2)))


def _basis(field: Field, places: Float64) -> tuple[NDArray[np.int64], Float64]:
    """Points of control (n, 16) of places (n, 2), and their weights."""
    rows, columns = field.control.shape[:2]
    x = np.clip((places[:, 0] - field.left) / field.cell_px, 0, columns - 3 - 1e-9)
    y = np.clip((places[:, 1] - field.top) / field.cell_px, 0, rows - 3 - 1e-9)
    i, j = x.astype(np.int64), y.astype(np.int64)
    across, down = _cubic(x - i), _cubic(y - j)
    index = (j[:, None] + np.arange(4))[:, :, None] * columns + (i[:, None] + np.arange(4))[:, None, :]
    return index.reshape(len(places), 16), (down[:, :, None] * across[:, None, :]).reshape(len(places), 16)


def _cubic(t: Float64) -> Float64:
    """(n, 4) weights of a uniform cubic B-spline."""
    u = 1 - t
    return np.stack([u**3, 3 * t**3 - 6 * t**2 + 4, 3 * u**3 - 6 * u**2 + 4, t**3], 1) / 6


def apart(cameras: Sequence[TurningCamera], fields: Sequence[Field], link: Link) -> Float64:
    """(n, 2) how far what the first frame shows lies from what the second does, in the second's pixels. Cameras without
    distortion."""
    looked = cameras[link.second].places(cameras[link.first].rays(fields[link.first].unmoved(link.places_1)))
    return np.asarray(link.places_2 - fields[link.second].moved(looked))


def settled(cameras: Sequence[TurningCamera], fields: Sequence[Field], links: Sequence[Link]) -> list[Field]:
    """Fields (of cameras without distortion) by which what frames share meets, from those that are known so far. What no other
    frame shows is displaced less and less, away from where frames meet."""
    fields = list(fields)
    starts = np.cumsum([0, *(f.control[..., 0].size for f in fields)])
    prior = _prior(fields)
    links = [link for link in links if len(link.places_1)]
    if not links:
        return fields
    for loose in np.geomspace(LOOSEST, 3.0, ROUNDS):
        asked = [_rows(cameras, fields, link, starts, float(loose)) for link in links]
        rows, wanted = sparse.vstack([*(r for r, _ in asked), prior], "csr"), np.concatenate([w for _, w in asked])
        so_far = np.concatenate([f.control.ravel() for f in fields])
        control = _solved(rows, np.concatenate([wanted, np.zeros(prior.shape[0])]), so_far, 2 * starts).reshape(-1, 2)
        fields = [
            Field(f.left, f.top, f.cell_px, control[a:b].reshape(f.control.shape))
            for f, a, b in zip(fields, starts[:-1], starts[1:], strict=True)
        ]
    return fields


def _rows(
    cameras: Sequence[TurningCamera], fields: Sequence[Field], link: Link, starts: NDArray[np.int64], loose: float
) -> tuple[sparse.csr_matrix, Float64]:
    """Weighted rows (2 n, unknowns) and right side of what a link asks for: J d_1 - d_2 = T(u_1) + J d_1' - p_2, where u_1 is
    where the first camera looks and d_1' what its field displaces so far."""
    a, b = link.first, link.second
    one, two = cameras[a], cameras[b]
    looked_1 = fields[a].unmoved(link.places_1)
    looked_2 = two.places(one.rays(looked_1))
    steps = [two.places(one.rays(looked_1 + by)) - looked_2 for by in (np.array([DERIVED_PX, 0]), np.array([0, DERIVED_PX]))]
    jacobian = np.stack(steps, 2) / DERIVED_PX
    so_far = link.places_1 - looked_1
    wanted = looked_2 + np.einsum("nij,nj->ni", jacobian, so_far) - link.places_2
    off = np.hypot(*(link.places_2 - fields[b].moved(looked_2)).T) / link.deviation_px
    weight = 1 / (1 + (off / loose) ** 2) / link.deviation_px
    weight = np.where((np.abs(looked_2) < 1e6).all(1), weight, 0)
    index_1, share_1 = _basis(fields[a], looked_1)
    index_2, share_2 = _basis(fields[b], looked_2)
    n = len(weight)
    row = np.arange(n)[:, None] + np.zeros((1, 16), np.int64)
    parts = []
    for i in range(2):
        for j in range(2):
            parts.append((2 * row + i, 2 * (index_1 + starts[a]) + j, share_1 * jacobian[:, i, j, None] * weight[:, None]))
        parts.append((2 * row + i, 2 * (index_2 + starts[b]) + i, -share_2 * weight[:, None]))
    rows, columns, values = (np.concatenate([p[k].ravel() for p in parts]) for k in range(3))
    matrix = sparse.csr_matrix((values, (rows, columns)), shape=(2 * n, 2 * int(starts[-1])))
    return matrix, np.nan_to_num(wanted * weight[:, None]).ravel()


def _solved(rows: sparse.csr_matrix, wanted: Float64, start: Float64, starts: NDArray[np.int64]) -> Float64:
    """Least squares by conjugate gradients on the normal equations, each frame's own block inverted beforehand: what couples the
    fields of frames is little beside what each is held by itself."""
    columns = rows.tocsc()
    inverses = []
    for a, b in pairwise(starts):
        own = columns[:, a:b]
        inverses.append(cho_factor((own.T @ own).toarray(), overwrite_a=True))

    def block(v: Float64) -> Float64:
        return np.concatenate([cho_solve(f, v[a:b]) for f, (a, b) in zip(inverses, pairwise(starts), strict=True)])

    n = rows.shape[1]
    across = rows.T.tocsr()
    square = LinearOperator((n, n), lambda v: across @ (rows @ v), dtype=np.float64)
    blocks = LinearOperator((n, n), block, dtype=np.float64)
    found, _ = cg(square, across @ wanted, start, rtol=CLOSE, maxiter=MOST_STEPS, M=blocks)
    return np.asarray(found, np.float64)


def _prior(fields: Sequence[Field]) -> sparse.csr_matrix:
    """What fields are expected to be, as weighted rows whose right side is 0: small, flat and smooth."""
    blocks = []
    for field in fields:
        rows, columns = field.control.shape[:2]
        long_edge = field.cell_px * CELLS
        parts = [sparse.identity(rows * columns) / (LARGEST * long_edge)]
        for order, size in ((1, STEEPEST), (2, ROUGHEST)):
            across = sparse.kron(sparse.identity(rows), _differences(columns, order))
            down = sparse.kron(_differences(rows, order), sparse.identity(columns))
            parts += [across / (size * long_edge), down / (size * long_edge)]
        blocks.append(sparse.kron(sparse.vstack(parts), sparse.identity(2)))
    return sparse.csr_matrix(sparse.block_diag(blocks))


def _differences(n: int, order: int) -> sparse.csr_matrix:
    return sparse.csr_matrix(np.diff(np.eye(n), order, axis=0))
