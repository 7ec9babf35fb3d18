"""White points and Bradford chromatic adaptation (ICC.1:2022 annex E; Lam 1985)."""

import numpy as np
from numpy.typing import ArrayLike, NDArray

Float = NDArray[np.float64]

D65_XY = (0.3127, 0.3290)
D50_XY = (0.3457, 0.3585)

_BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])


def xy_to_xyz(xy: ArrayLike) -> Float:
    """Chromaticity (x, y) -> XYZ with Y = 1."""
    x, y = np.asarray(xy, np.float64)
    return np.array([x / y, 1.0, (1.0 - x - y) / y])


def xyz_to_xy(xyz: ArrayLike) -> tuple[float, float]:
    """XYZ (3,) -> chromaticity (x, y)."""
    v = np.asarray(xyz, np.float64)
    total = float(v.sum())
    return float(v[0] / total), float(v[1] / total)


def bradford(source_xy: ArrayLike, target_xy: ArrayLike) -> Float:
    """3x3 that takes XYZ under the source white to XYZ under the target white."""
    cone_source = _BRADFORD @ xy_to_xyz(source_xy)
    cone_target = _BRADFORD @ xy_to_xyz(target_xy)
    return np.linalg.inv(_BRADFORD) @ np.diag(cone_target / cone_source) @ _BRADFORD
