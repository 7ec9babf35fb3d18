"""Soft bodies: signed distance fields joined smoothly and turned into meshes (marching cubes)."""

import numpy as np
from noise import noise3


def smooth_union(*fields, k=0.03):
    """Polynomial smooth minimum of distances (Quilez, "smooth minimum", 2013)."""
    out = fields[0]
    for f in fields[1:]:
        h = np.clip(0.5 + 0.5 * (f - out) / k, 0, 1)
        out = f * (1 - h) + out * h - k * h * (1 - h)
    return out


def smooth_cut(a, b, k=0.02):
    """a without b, with a rounded seam."""
    h = np.clip(0.5 - 0.5 * (a + b) / k, 0, 1)
    return a * (1 - h) - b * h + k * h * (1 - h)


def ellipsoid(p, centre, radii, turn=None):
    """Approximate distance to an ellipsoid; ``turn`` is a rotation matrix of its axes."""
    q = p - np.asarray(centre, np.float32)
    if turn is not None:
        q = q @ np.asarray(turn, np.float32)
    r = np.asarray(radii, np.float32)
    k0 = np.linalg.norm(q / r, axis=-1)
    k1 = np.linalg.norm(q / (r * r), axis=-1)
    return k0 * (k0 - 1) / np.maximum(k1, 1e-6)


def cone(p, a, b, ra, rb):
    """Distance to a capsule whose radius runs from ra at a to rb at b."""
    a, b = np.asarray(a, np.float32), np.asarray(b, np.float32)
    d = b - a
    t = np.clip(((p - a) @ d) / float(d @ d), 0, 1)
    return np.linalg.norm(p - a - t[..., None] * d, axis=-1) - (ra + (rb - ra) * t)


def chain(p, points, radii, k=0.02):
    """Capsules along a line of points."""
    return smooth_union(*[cone(p, points[i], points[i + 1], radii[i], radii[i + 1]) for i in range(len(points) - 1)], k=k)


def box(p, centre, half, rounding=0.01, turn=None):
    """Rounded box."""
    q = p - np.asarray(centre, np.float32)
    if turn is not None:
        q = q @ np.asarray(turn, np.float32)
    q = np.abs(q) - (np.asarray(half, np.float32) - rounding)
    return np.linalg.norm(np.maximum(q, 0), axis=-1) + np.minimum(q.max(-1), 0) - rounding


def mesh(field, low, high, cell):
    """Vertices and outward faces of the zero surface of ``field(points)`` inside a box."""
    from skimage.measure import marching_cubes

    n = 16  # blocks far from the surface keep the distance at their centre
    axes = [low[i] + cell * np.arange(int(np.ceil((high[i] - low[i]) / cell / n)) * n, dtype=np.float32) for i in range(3)]
    centres = np.stack(np.meshgrid(*[a.reshape(-1, n).mean(1) for a in axes], indexing="ij"), -1)
    coarse = field(centres)
    values = np.repeat(np.repeat(np.repeat(coarse, n, 0), n, 1), n, 2).astype(np.float32)
    near = np.argwhere(np.abs(coarse) < 1.7 * cell * n * 0.87 + 0.01)
    for part in np.array_split(near, max(1, len(near) // 64)):
        index = (part[:, :, None] * n + np.arange(n)).astype(int)
        x, y, z = (axes[i][index[:, i]] for i in range(3))
        shape = (len(part), n, n, n)
        points = np.stack(
            [
                np.broadcast_to(x[:, :, None, None], shape),
                np.broadcast_to(y[:, None, :, None], shape),
                np.broadcast_to(z[:, None, None, :], shape),
            ],
            -1,
        )
        values[index[:, 0, :, None, None], index[:, 1, None, :, None], index[:, 2, None, None, :]] = field(points)
    v, f, _, _ = marching_cubes(values, 0.0, spacing=(cell,) * 3)
    v = v + np.asarray(low, np.float32)
    n = np.cross(v[f[:, 1]] - v[f[:, 0]], v[f[:, 2]] - v[f[:, 0]])
    c = v[f].mean(1)
    e = cell * 0.5 * n / np.maximum(np.linalg.norm(n, axis=1, keepdims=True), 1e-9)
    if (field(c + e) - field(c - e)).mean() < 0:
        f = f[:, ::-1]
    return v.astype(np.float32), f


def folds(p, seed=3):
    """Cloth: creases that run mostly downwards, and small wrinkles."""
    a = noise3(p * np.float32([1, 1, 0.22]), 1.1, seed, beta=4.0)
    b = noise3(p * np.float32([1, 1, 0.6]), 0.5, seed + 1, beta=4.0)
    return 0.6 * np.abs(a) ** 0.8 * np.sign(a) + 0.35 * b
