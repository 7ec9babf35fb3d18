"""What the scene scripts build can be seen from outside: a face turned away renders black.

The renderer itself is not needed; only closed shapes and the packing of finished renders are looked at.
"""

import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest

SCENES = Path(__file__).parents[2] / "tools" / "scenes"
Array = np.ndarray


@pytest.fixture(scope="module", autouse=True)
def scripts() -> Iterator[None]:
    """The scripts import each other by name, as programs of one folder do."""
    before, known = list(sys.path), set(sys.modules)
    sys.path.insert(0, str(SCENES))
    yield
    sys.path[:] = before
    for name in set(sys.modules) - known:  # "noise" and "sky" are common names
        if str(getattr(sys.modules[name], "__file__", "")).startswith(str(SCENES)):
            del sys.modules[name]


def enclosed(v: Array, f: Array) -> float:
    """Signed volume by the divergence theorem; positive when the faces look outwards."""
    v = np.asarray(v, float).reshape(-1, 3)
    v = v - v.mean(0)
    return float(np.einsum("ij,ij->i", v[f[:, 0]], np.cross(v[f[:, 1]], v[f[:, 2]])).sum() / 6)


def test_a_box_encloses_its_volume_but_for_the_chamfer() -> None:
    from geo import boxes, rot

    v, f = boxes([[1, 2, 3]], [0.4, 0.2, 0.1], 0.0, rot([1, 2, 3], 40))
    assert enclosed(v, f) == pytest.approx(0.4 * 0.2 * 0.1, rel=1e-9)
    v, f = boxes([[1, 2, 3]], [0.4, 0.2, 0.1], 0.01)
    assert 0.97 * 0.008 < enclosed(v, f) < 0.008


def test_a_batch_of_turned_boxes_keeps_every_one_outward() -> None:
    from geo import boxes, rot

    rng = np.random.default_rng(1)
    turns = np.array([rot(rng.normal(0, 1, 3), rng.uniform(0, 360)) for _ in range(40)])
    v, f = boxes(rng.normal(0, 1, (40, 3)), rng.uniform(0.05, 0.3, (40, 3)), 0.004, turns)
    for k in range(40):
        mine = f[(f >= k * 24).all(1) & (f < (k + 1) * 24).all(1)] - k * 24
        assert enclosed(v[k * 24 : (k + 1) * 24], mine) > 0


@pytest.mark.parametrize("along", [(1, 0, 0), (0, 1, 0), (0, 0, 1), (-1, -2, 0.5), (0.3, -0.2, -1)])
def test_a_tube_looks_outwards_whichever_way_it_runs(along: tuple[float, float, float]) -> None:
    from geo import tube

    ends = np.outer([0, 0.5, 1], along)
    v, f = tube(ends, 0.05, 24)
    length = float(np.linalg.norm(along))
    assert enclosed(v, f) == pytest.approx(np.pi * 0.05**2 * length, rel=0.4)  # its ends are open


def test_joined_bodies_stay_distances_near_their_surface() -> None:
    """Quilez's smooth minimum lies below the plain one, by at most a quarter of its reach, and far from the seam they agree."""
    import sdf

    p = np.random.default_rng(3).uniform(-0.3, 0.3, (2000, 3)).astype(np.float32)
    a, b = sdf.cone(p, (-0.1, 0, 0), (0.1, 0, 0), 0.05, 0.05), sdf.ellipsoid(p, (0, 0.05, 0), (0.06, 0.06, 0.06))
    joined = sdf.smooth_union(a, b, k=0.04)
    plain = np.minimum(a, b)
    assert (joined <= plain + 1e-7).all() and (plain - joined).max() <= 0.04 / 4 + 1e-6
    assert np.abs(joined - plain)[np.abs(a - b) > 0.04].max() < 1e-7
    cut = sdf.smooth_cut(a, b, k=0.01)
    assert (cut >= np.maximum(a, -b) - 1e-7).all()


def test_a_shell_can_be_seen_from_both_sides() -> None:
    from geo import grid_faces, shell, vertex_normals

    x, y = np.meshgrid(np.linspace(0, 1, 5), np.linspace(0, 1, 4))
    sheet = np.stack([x, y, 0 * x], -1).reshape(-1, 3)
    v, f = shell(sheet, grid_faces(4, 5), 0.01)
    normals = vertex_normals(v, f)
    assert normals[:20, 2] == pytest.approx(1) and normals[20:, 2] == pytest.approx(-1)
    assert v[20:, 2] == pytest.approx(-0.01)


def test_faces_are_turned_towards_a_point() -> None:
    from geo import facing, grid_faces

    v = np.stack([*np.meshgrid([0.0, 1.0], [0.0, 1.0]), np.zeros((2, 2))], -1).reshape(-1, 3)
    f = grid_faces(2, 2)
    for height in (-1.0, 1.0):
        turned = facing(v, f, (0.5, 0.5, height))
        assert np.sign(np.cross(v[turned[0, 1]] - v[turned[0, 0]], v[turned[0, 2]] - v[turned[0, 0]])[2]) == height


class Collected:
    """Stands for the renderer's soups: keeps every part by itself."""

    def __init__(self) -> None:
        self.parts: list[tuple[Array, Array]] = []

    def add(self, v: Any, f: Any, *_: Any, **__: Any) -> None:
        """One closed part, or several of a kind."""
        self.parts.append((np.asarray(v, float).reshape(-1, 3), np.asarray(f).reshape(-1, 3)))


@pytest.mark.parametrize("part", ["handcart", "pallet", "tile_stack", "barrel", "plank_stack"])
@pytest.mark.parametrize("yaw", [0.0, 24.0, 160.0])
def test_no_part_of_the_clutter_is_turned_inside_out(part: str, yaw: float) -> None:
    import parts

    rng, soup, at = np.random.default_rng(4), Collected(), np.array([3.0, -2.0, 0.1])
    if part == "handcart":
        parts.handcart(soup, soup, at, rng, yaw)
    elif part == "barrel":
        parts.barrel(soup, at, rng)
    elif part == "pallet":
        parts.pallet(soup, at, rng, yaw)
    elif part == "tile_stack":
        parts.tile_stack(soup, at, rng, yaw)
    else:
        parts.plank_stack(soup, at, (1.0, 0.8, 0.03), rng, yaw)
    assert soup.parts and all(enclosed(v, f) > 0 for v, f in soup.parts)


@pytest.mark.parametrize("side", [1, -1])
def test_an_arch_has_a_soffit_that_can_be_seen(side: int) -> None:
    """All its surfaces have a normal, and the underside looks down into the opening."""
    import parts
    from geo import vertex_normals

    opening = parts.Arch(0.5, 0.8, 1.0, 2.5, 0.2)
    brick, mortar = Collected(), Collected()
    place = lambda q: np.stack([side * q[..., 0], -side * q[..., 2], q[..., 1]], -1)  # noqa: E731
    parts.arched_opening(brick, mortar, opening, np.random.default_rng(2), place, lambda p: np.zeros(p.shape[:-1]))
    for v, f in brick.parts + mortar.parts:
        used = np.unique(f)
        assert np.linalg.norm(vertex_normals(v, f)[used], axis=1) == pytest.approx(1, abs=1e-5)
    soffit = next((v, f) for v, f in brick.parts if len(v) == 48)
    assert (vertex_normals(*soffit)[:, 2] < 0).all()


def test_courses_of_bricks_fill_the_wall_and_keep_its_openings_free() -> None:
    from geo import bond

    bricks = bond(0.0, 4.0, 0.0, 1.5, np.random.default_rng(0), lambda z: [(1.0, 2.0)] if z < 0.75 else [])
    area = ((bricks[:, 2] - bricks[:, 0]) * (bricks[:, 3] - bricks[:, 1])).sum()
    assert 0.78 < area / (4 * 1.5 - 0.75) < 0.9  # a tenth is joint: 10 mm in courses of 75 mm (common practice)
    low = bricks[bricks[:, 3] < 0.75]
    assert not ((low[:, 0] < 1.99) & (low[:, 2] > 1.01)).any()
    lengths = bricks[:, 2] - bricks[:, 0]
    assert (np.abs(lengths - 0.215) < 0.012).sum() > 0.3 * len(bricks)  # stretchers
    assert (np.abs(lengths - 0.1025) < 0.012).sum() > 0.3 * len(bricks)  # headers, one by one in Flemish bond


def test_noise_has_unit_variance_repeats_and_falls_as_its_power_law() -> None:
    from noise import noise3, spectral

    field = spectral(256, 256, 2.0, seed=7)
    assert field.mean() == pytest.approx(0, abs=1e-5) and field.std() == pytest.approx(1, abs=1e-5)
    power = np.abs(np.fft.fft2(field)) ** 2
    f = np.hypot(np.fft.fftfreq(256)[:, None] * 256, np.fft.fftfreq(256)[None] * 256)
    bands = [(power[(f > lo) & (f <= 2 * lo)].mean(), lo * 1.5) for lo in (4, 8, 16, 32)]
    slope = np.polyfit(np.log([b[1] for b in bands]), np.log([b[0] for b in bands]), 1)[0]
    assert slope == pytest.approx(-2.0, abs=0.1)
    p = np.random.default_rng(5).uniform(0, 3, (200, 3))
    assert noise3(p, 1.7, 3) == pytest.approx(noise3(p + np.array([1.7, 0, -1.7]), 1.7, 3), abs=1e-6)


def test_a_face_is_the_same_on_both_sides_and_looks_the_right_way() -> None:
    import heads

    p = np.random.default_rng(9).uniform((-0.1, -0.12, 0.28), (0.1, 0.13, 0.55), (4000, 3)).astype(np.float32)
    mirrored = p * np.float32([-1, 1, 1])
    assert heads.face(p) == pytest.approx(heads.face(mirrored), abs=1e-6)
    depth = np.linspace(-0.14, 0.0, 1401, dtype=np.float32)

    def front(z: float, **how: float) -> float:
        line = np.stack([0 * depth, depth, np.full_like(depth, z)], -1)
        return float(depth[np.argmax(heads.face(line, **how) < 0)])

    nose, bridge, lips, fold, chin = (front(z) for z in (0.3845, 0.425, 0.352, 0.334, 0.317))
    assert nose < lips < fold and abs(chin - fold) < 0.003 and nose < bridge - 0.015
    assert front(0.436, strong=1.0) < front(0.436)  # a heavier brow stands out further


def test_windows_rendered_again_are_blended_into_what_was_shipped() -> None:
    import ship

    from zincplate.demo.scenes import Scene

    linear = np.full((200, 300, 3), 1.0, np.float32)
    scene = Scene("x", linear, 0.18, focal_px=250.0, depth_m=np.full((200, 300), 5.0, np.float32))
    part = np.full((100, 120, 3), 3.0, np.float32)
    far = np.full((100, 120), 7.0, np.float32)
    far[0, 0] = 0.0
    path = Path(str(SCENES)) / "none"
    loaded: dict[Path, dict[str, Array]] = {path: {"den": part, "depth": far, "at": np.array([0, 40])}}
    out = ship.mended(scene, [path], loaded.__getitem__)
    assert out["den"][90, 0, 0] == pytest.approx(3.0)  # the picture's own edge needs no seam
    assert out["den"][90, 60, 0] == pytest.approx(3.0)
    assert 1.0 < out["den"][45, 60, 0] < 1.6 and out["den"][30, 60, 0] == 1.0
    assert np.diff(out["den"][40:70, 60, 0]).min() >= 0
    assert out["depth"][40, 0] == 0.0 and out["depth"][39, 0] == 5.0
    assert out["depth"][100, 100] == pytest.approx(7.0 + 0.02 * np.hypot(1, np.hypot(100 - 149.5, 100 - 99.5) / 250), abs=1e-4)


def test_depth_counted_from_the_near_plane_is_brought_back_to_the_pinhole() -> None:
    import ship

    f, centre = 100.0, (50.0, 40.0)
    y, x = np.mgrid[0:81, 0:101]
    wall = 3.0 * np.sqrt(1 + ((x - 50) / f) ** 2 + ((y - 40) / f) ** 2)  # a wall 3 m ahead, along each ray
    counted = wall * (3.0 - 0.02) / 3.0
    assert ship.from_pinhole(counted, f, centre) == pytest.approx(wall, abs=1e-5)
