"""Areas against geometry: shapes against their formulas, growing and softening against exact distances (scipy), looks, joins."""

import cv2
import numpy as np
import pytest
from scipy import ndimage
from scipy.special import ndtr

from zincplate.core.areas import ranges, raster, shapes, shaping
from zincplate.core.areas.shapes import Grid
from zincplate.pipeline.area_places import means_at

WHOLE = Grid(300, 200, 0, 0, 1, 1)


def smoothstep(t: np.ndarray) -> np.ndarray:
    t = np.clip(t, 0, 1)
    return t * t * (3 - 2 * t)


def places(grid: Grid) -> tuple[np.ndarray, np.ndarray]:
    """x and y of the samples' middles, in full."""
    y, x = np.mgrid[0 : grid.height, 0 : grid.width]
    return grid.x0 + (x + 0.5) * grid.step_x, grid.y0 + (y + 0.5) * grid.step_y


@pytest.mark.parametrize("grid", [WHOLE, Grid(75, 50, 0, 0, 4, 4), Grid(120, 90, 60.5, 40.25, 1, 1)])
def test_a_band_runs_from_its_full_side_to_its_end(grid: Grid) -> None:
    full = np.array([80.0, 40.0])
    x, y = places(grid)
    along = ((x - full[0]) * 60 + (y - full[1]) * 80) / (60**2 + 80**2)
    assert np.abs(shapes.band(grid, (80, 40), (140, 120)) - (1 - smoothstep(along))).max() < 2e-5


def test_samples_lie_at_the_middles_of_their_squares() -> None:
    grid = Grid(7, 5, 60.5, 40.25, 4, 3)
    x, y = grid.places()
    assert np.allclose(np.broadcast_arrays(x, y), places(grid), atol=1e-5)


def test_a_band_without_width_is_an_edge_of_one_sample() -> None:
    edge = shapes.band(WHOLE, (100, 0), (100.0001, 0))
    assert np.all(edge[:, :99] == 1) and np.all(edge[:, 102:] == 0)
    assert edge.sum(1) == pytest.approx(100, abs=0.01)


@pytest.mark.parametrize("softness", [0.0, 0.3, 1.0])
def test_a_ring_is_an_ellipse_that_runs_out_at_its_edge(softness: float) -> None:
    angle = np.radians(30)
    axes = np.array([[90 * np.cos(angle), 90 * np.sin(angle)], [-50 * np.sin(angle), 50 * np.cos(angle)]])
    found = shapes.ring(WHOLE, (150, 100), axes, softness)
    x, y = places(WHOLE)
    u = ((x - 150) * np.cos(angle) + (y - 100) * np.sin(angle)) / 90
    v = (-(x - 150) * np.sin(angle) + (y - 100) * np.cos(angle)) / 50
    far = np.hypot(u, v)
    if softness:
        assert np.abs(found - (1 - smoothstep((far - (1 - softness)) / softness))).max() < 2e-5
    else:
        # a hard edge covers as much as the ellipse has area, and is gone a sample beside it
        assert found.sum() == pytest.approx(np.pi * 90 * 50, rel=2e-3)
        assert found[far > 1 + 1.5 / 50].max() == 0 and found[far < 1 - 1.5 / 50].min() == 1


@pytest.mark.parametrize("hardness", [0.0, 0.4, 0.8])
def test_a_stroke_covers_by_its_distance_from_the_path(hardness: float) -> None:
    path, radius = np.array([[60.0, 50.0], [200.0, 60.0], [220.0, 150.0]]), 22.0
    found = shapes.stroke(WHOLE, path, np.full(3, radius), hardness)
    # the exact distance: of a path drawn eight times as fine, by scipy's Euclidean distance transform
    fine = np.ones((200 * 8, 300 * 8), bool)
    for a, b in ((path[0], path[1]), (path[1], path[2])):
        for t in np.linspace(0, 1, 4000):
            px, py = (a + t * (b - a)) * 8
            fine[int(py), int(px)] = False
    distance = ndimage.distance_transform_edt(fine)[4::8, 4::8] / 8
    expected = 1 - smoothstep((distance - hardness * radius) / (radius * (1 - hardness)))
    assert np.abs(found - expected).max() < 0.2 / (radius * (1 - hardness)) * 1.6


def test_going_over_a_place_twice_within_a_stroke_counts_once_unless_it_builds_up() -> None:
    there, back = np.array([[50.0, 100.0], [250.0, 100.0]]), np.array([[50.0, 100.0], [250.0, 100.0], [50.0, 100.0]])
    once, twice = (shapes.stroke(WHOLE, p, np.full(len(p), 20.0), 0.5) for p in (there, back))
    assert np.array_equal(once, twice)
    once, twice = (shapes.building_stroke(WHOLE, p, np.full(len(p), 20.0), 0.9, 0.4) for p in (there, back))
    # a straight pass lays on its flow in the middle; a second one that of what is left
    assert once[100, 120:180].mean() == pytest.approx(0.4, abs=0.04)
    assert twice[100, 120:180].mean() == pytest.approx(1 - 0.6**2, abs=0.05)


def test_a_dab_and_a_stroke_beside_the_window_are_no_trouble() -> None:
    dab = shapes.stroke(WHOLE, np.array([[150.0, 100.0]]), np.array([30.0]), 1.0)
    assert dab.sum() == pytest.approx(np.pi * 30**2, rel=0.01)
    for place in ([-400.0, 100.0], [150.0, 900.0]):
        assert not shapes.stroke(WHOLE, np.array([place]), np.array([30.0]), 0.5).any()
        assert not shapes.building_stroke(WHOLE, np.array([place]), np.array([30.0]), 0.5, 0.5).any()
        assert shapes.reached(WHOLE, np.array([place]), np.array([30.0])) is None


@pytest.mark.parametrize("window", [(0, 0), (100, 70), (277, 193)])
def test_a_window_shows_the_same_as_the_whole(window: tuple[int, int]) -> None:
    path = np.array([[60.0, 50.0], [200.0, 60.0], [290.0, 195.0]])
    x, y = window
    part = Grid(300 - x, 200 - y, x, y, 1, 1)
    for make in (
        lambda g: shapes.stroke(g, path, np.full(3, 25.0), 0.3),
        lambda g: shapes.building_stroke(g, path, np.full(3, 25.0), 0.3, 0.5),
        lambda g: shapes.ring(g, (150, 100), np.array([[80.0, 10.0], [-5.0, 40.0]]), 0.4),
    ):
        assert np.abs(make(WHOLE)[y:, x:] - drawn(make(part))).max() < 1e-5


@pytest.mark.parametrize("window", [(0, 0, 60, 200), (0, 0, 300, 30), (240, 20, 60, 150), (80, 150, 150, 50), (130, 90, 20, 20)])
def test_windows_beside_across_and_within_a_ring_and_a_band(window: tuple[int, int, int, int]) -> None:
    x, y, width, height = window
    part = Grid(width, height, x, y, 1, 1)
    axes = np.array([[70.0, 35.0], [-20.0, 40.0]])
    u, v = (axes[i] @ axes[i] for i in range(2))
    px, py = places(part)
    far = np.hypot(((px - 150) * 70 + (py - 100) * 35) / u, ((px - 150) * -20 + (py - 100) * 40) / v)
    assert np.abs(drawn(shapes.ring(part, (150, 100), axes, 0.5)) - (1 - smoothstep((far - 0.5) / 0.5))).max() < 2e-5
    along = ((px - 100) * 100 - (py - 60) * 20) / (100**2 + 20**2)
    assert np.abs(drawn(shapes.band(part, (100, 60), (200, 40))) - (1 - smoothstep(along))).max() < 2e-5


def test_a_window_that_a_shape_does_not_reach_has_nothing_of_it_and_any_other_has() -> None:
    """Every square of a chart: None only where the whole picture's shape is empty, and nearly everywhere there."""
    path, radii, axes = np.array([[60.0, 50.0], [90.0, 60.0]]), np.array([12.0, 4.0]), np.array([[50.0, 25.0], [-20.0, 15.0]])
    for make in (
        lambda g: shapes.stroke(g, path, radii, 0.3) if shapes.reached(g, path, radii) else None,
        lambda g: shapes.ring(g, (150, 100), axes, 0.4),
        lambda g: shapes.band(g, (100, 60), (80, 90)),
        lambda g: shapes.band(g, (100, 60), (100.0, 40)),
        lambda g: shapes.band(g, (200, 150), (200.0001, 150)),
    ):
        whole, empty, known = make(WHOLE), 0, 0
        for y in range(0, 200, 10):
            for x in range(0, 300, 10):
                part = make(Grid(10, 10, x, y, 1, 1))
                assert np.abs(drawn(part, 10, 10) - whole[y : y + 10, x : x + 10]).max() < 1e-5
                empty += not whole[y : y + 10, x : x + 10].any()
                known += part is None
        assert 0.8 * empty <= known <= empty and known > 100


@pytest.mark.parametrize("window", [(0, 0, 60, 200), (50, 30, 250, 20), (130, 90, 20, 20), (0, 150, 300, 50)])
def test_all_of_a_stroke_lies_in_the_part_that_it_is_said_to_reach(window: tuple[int, int, int, int]) -> None:
    path, radii = np.array([[60.0, 50.0], [90.0, 60.0], [120.0, 95.0]]), np.array([12.0, 4.0, 9.0])
    x, y, width, height = window
    grid = Grid(width * 2, height * 2, x, y, 0.5, 0.5)
    for make in (lambda g: shapes.stroke(g, path, radii, 0.3), lambda g: shapes.building_stroke(g, path, radii, 0.3, 0.5)):
        whole, there = make(grid), shapes.reached(grid, path, radii)
        if there is None:
            assert not whole.any()
            continue
        rest = whole.copy()
        rest[there] = 0
        assert not rest.any() and np.abs(make(grid.part(*there)) - whole[there]).max() < 1e-5
    rows, columns = np.nonzero(make(WHOLE))
    there = shapes.reached(WHOLE, path, radii)
    assert there is not None  # and it is not much more than what there is of it
    assert there[0].stop - there[0].start < np.ptp(rows) + 20 and there[1].stop - there[1].start < np.ptp(columns) + 20


def drawn(found: np.ndarray | None, height: int = 1, width: int = 1) -> np.ndarray:
    return np.zeros((height, width), np.float32) if found is None else found


@pytest.mark.parametrize("axes", [[[90.0, 0.0], [0.0, 0.0]], [[0.0, 90.0], [0.0, 0.0]]])
def test_a_ring_without_height_is_a_line(axes: list[list[float]]) -> None:
    found = shapes.ring(WHOLE, (150, 100), np.array(axes), 0.3)
    assert np.isfinite(found).all() and found.min() >= 0 and found.max() <= 1


@pytest.mark.parametrize(
    "where", [(slice(0, 1), slice(0, 1)), (slice(3, 5), slice(2, 4)), (slice(7, 8), slice(11, 12)), (slice(0, 0), slice(0, 0))]
)
@pytest.mark.parametrize("start", [(-0.4, -0.45), (2.3, 1.7), (9.9, 5.2)])
def test_coefficients_are_carried_between_their_samples(where: tuple[slice, slice], start: tuple[float, float]) -> None:
    rng = np.random.default_rng(2)
    a, b = np.zeros((8, 12), np.float32), np.zeros((8, 12), np.float32)
    a[where], b[where] = rng.uniform(0.1, 0.3, a[where].shape), rng.uniform(0.1, 0.5, a[where].shape)
    guide, found = rng.uniform(0, 1, (90, 1300)).astype(np.float32), np.full((90, 1300), 7, np.float32)
    shaping.carried(a, b, guide, *start, 0.0093, 0.081, found)
    y, x = np.clip(start[1] + 0.081 * np.arange(90), 0, 7), np.clip(start[0] + 0.0093 * np.arange(1300), 0, 11)
    seen = [ndimage.map_coordinates(p, np.meshgrid(y, x, indexing="ij"), order=1) for p in (a, b)]
    assert np.abs(found - np.clip(seen[0] * guide + seen[1], 0, 1)).max() < 1e-5


def test_nothing_is_left_of_an_area_where_nothing_was_found_and_all_where_all_was() -> None:
    """The guided filter leaves a trace wherever the picture has drawing; what is less than a 512th is taken off at both ends."""
    rng = np.random.default_rng(8)
    guide = rng.normal(0, 0.05, (80, 120)).astype(np.float32)
    guide[:, 60:] += 3  # the picture's edge lies where the area's does
    trace = np.float32(1 / 600)
    area = np.where(np.arange(120) < 60, trace, 1 - trace) * np.ones((80, 1), np.float32)
    a, b = shaping.fine(area.astype(np.float32), guide)
    found = np.clip(a * guide + b, 0, 1)
    assert (found[:, :54] == 0).all() and (found[:, 66:] == 1).all()
    softer = np.tile(np.linspace(0, 1, 120, dtype=np.float32), (80, 1))
    a, b = shaping.fine(softer, guide * 0)
    was = ndimage.uniform_filter(ndimage.uniform_filter(softer, 5, mode="reflect"), 5, mode="reflect")
    assert np.abs(b - was).max() < 1 / 511 and np.abs(b[:, 59:61] - was[:, 59:61]).max() < 1e-4


@pytest.mark.parametrize("radius", [1, 5, 12])
def test_growing_is_the_greatest_within_a_disk(radius: int) -> None:
    area = np.random.default_rng(1).random((60, 80)).astype(np.float32) ** 8
    y, x = np.ogrid[-radius : radius + 1, -radius : radius + 1]
    footprint = x * x + y * y <= radius * radius
    assert np.array_equal(shaping.grown(area, radius), ndimage.grey_dilation(area, footprint=footprint, mode="nearest"))
    assert np.array_equal(shaping.grown(area, -radius), ndimage.grey_erosion(area, footprint=footprint, mode="nearest"))


@pytest.mark.parametrize("radius", [7.5, 30.0])
def test_growing_a_shape_moves_its_edge_by_the_radius(radius: float) -> None:
    area = np.zeros((240, 240), np.float32)
    area[100:140, 90:150] = 1
    distance = ndimage.distance_transform_edt(area == 0)
    grown = shaping.grown(area, radius)
    # a disk of whole samples, put together of smaller ones beyond twelve: its polygon keeps within 4 % of the circle
    assert grown[distance <= 0.96 * radius - 0.7].min() == 1 and grown[distance > radius + 0.7].max() == 0


@pytest.mark.parametrize("distance", [4.0, 24.0])
def test_softening_runs_out_like_a_normal_distribution(distance: float) -> None:
    area = np.zeros((40, 300), np.float32)
    area[:, :150] = 1
    inside = 150 - (np.arange(300) + 0.5)
    assert np.abs(shaping.softened(area, distance)[20] - ndtr(inside / (distance / 2))).max() < 0.01


def test_terms_are_added_taken_away_and_narrowed() -> None:
    a, b = np.array([[0.8, 0.2]], np.float32), np.array([[0.5, 0.5]], np.float32)

    def join(area: np.ndarray | None, *more: object) -> np.ndarray:
        return shaping.joined(None if area is None else area.copy(), *more)  # type: ignore[arg-type]

    assert join(None, a, "add", 1, False) == pytest.approx(a)
    assert join(None, a, "without", 1, False) == pytest.approx(1 - a)
    assert join(None, a, "only", 1, False) == pytest.approx(a)
    assert join(a, b, "add", 1, False) == pytest.approx(np.array([[0.8, 0.5]]))
    assert join(a, b, "without", 1, False) == pytest.approx(a * 0.5)
    assert join(a, b, "only", 1, True) == pytest.approx(a * 0.5)
    # half a weight does half of each
    assert join(a, np.ones_like(a), "without", 0.5, False) == pytest.approx(a * 0.5)
    assert join(a, np.zeros_like(a), "only", 0.5, False) == pytest.approx(a * 0.5)
    assert join(None, a, "add", 0.5, False) == pytest.approx(a * 0.5)


def test_a_range_of_tone_has_soft_ends_and_open_ones() -> None:
    light = np.linspace(0, 1, 101, dtype=np.float32)[None]
    middle = ranges.between(light, 0.4, 0.6, 0.1)[0]
    assert middle[40:61].min() == 1 and middle[[29, 71]].max() < 1e-6 and middle[35] == pytest.approx(0.5, abs=0.01)
    assert ranges.between(light, 0.7, 1.0, 0.1)[0, -1] == 1 and ranges.between(light, 0.0, 0.3, 0.1)[0, 0] == 1
    assert ranges.between(light, 0.0, 1.0, 0.1).min() == 1


def test_colours_and_likeness_fall_with_their_distance() -> None:
    lab = np.zeros((3, 1, 5), np.float32)
    lab[0], lab[1, 0] = 0.6, [0.10, 0.12, 0.15, 0.20, -0.1]
    near = ranges.colour(lab, (0.6, 0.1, 0.0), 0.1)[0]
    assert (
        near[0] == 1 and np.all(np.diff(near) < 1e-12) and near[2] == pytest.approx(0.5625) and near[3] < 1e-12 and near[4] == 0
    )
    like = ranges.like_any(lab, np.array([[0.6, 0.1, 0.0], [0.6, -0.1, 0.0]]))[0]
    assert like[[0, 4]] == pytest.approx([1, 1]) and like[1] > 0.9 and like[3] < 0.2
    x, y = np.array([[0.0, 5.0, 10.0, 20.0]], np.float32), np.array([[0.0], [5.0], [-11.0]], np.float32)
    even = np.full((3, 3, 4), 0.2, np.float32)
    fading = ranges.near(even, (0.2, 0.2, 0.2), 0.1, ranges.Fading(x, y, (0.0, 0.0), 10))
    assert list(fading[0]) == pytest.approx([1, 0.5, 0, 0]) and not fading[2].any()
    assert fading[1, 0] == pytest.approx(0.5) and fading[1, 1] == pytest.approx(0.2071, abs=1e-4)
    # a colour half as far as the reach, at half the distance: three quarters squared, of a half
    off = even + np.array([0.1, 0, 0], np.float32)[:, None, None]
    assert ranges.near(off, (0.2, 0.2, 0.2), 0.1, ranges.Fading(x, y, (0.0, 0.0), 10))[0, 1] == pytest.approx(0.5 * 0.75**2)


def test_edges_are_found_where_they_are_and_as_wide_as_asked() -> None:
    light = np.full((60, 120), 0.3, np.float32)
    light[:, 60:] = 0.7
    light[:, 100:] = 0.705
    for width in (1.0, 9.0):
        found = ranges.edges(light, 0.2, width)[30]
        assert found[59:61].min() > 0.9 and found[:40].max() < 1e-3 and found[94:].max() < 1e-3
        assert (found > 0.5).sum() == pytest.approx(width + 4, abs=3)


def test_what_was_found_is_kept_as_text() -> None:
    area = np.clip(np.random.default_rng(2).random((77, 131)), 0, 1).astype(np.float32)
    assert np.abs(raster.from_text(raster.to_text(area)) - area).max() <= 0.5 / 255 + 1e-6
    text = raster.to_text(np.tile(np.linspace(0, 1, 384, dtype=np.float32), (256, 1)))
    assert len(text) < 4_000
    for damaged in ("", "not base 64!", text[:-40], text[:8], raster.to_text(area)[:200]):
        with pytest.raises(ValueError, match="damaged"):
            raster.from_text(damaged)


def test_closing_fills_gaps_up_to_its_width_and_leaves_the_outline() -> None:
    area = np.zeros((120, 160), np.float32)
    area[20:100, 20:140] = 1
    area[20:100, 60:66] = 0  # a gap of six
    area[20:100, 100:114] = 0  # one of fourteen
    found = shaping.shaped(area, 10, 0, 0)
    assert found[25:95, 58:68].min() == 1 and found[25:95, 104:110].max() == 0
    outside = np.ones_like(area, bool)
    outside[20:100, 20:140] = False
    assert found[outside].max() == 0 and found[25:95, 20:58].min() == 1


@pytest.mark.parametrize("smooth", [2.0, 5.0])
def test_smoothing_takes_teeth_and_crumbs_and_leaves_a_straight_edge_where_it_is(smooth: float) -> None:
    area = np.zeros((200, 200), np.float32)
    area[:, :100] = 1
    area[50:52, 100:106] = 1  # a tooth
    area[150:152, 150:152] = 1  # a crumb
    found = shaping.shaped(area, 0, smooth, 0)
    assert found[120:140, :94].min() > 0.99 and found[120:140, 106:].max() < 0.01
    assert found[130].sum() == pytest.approx(100, abs=0.5)
    # weaker than before: whole teeth of one sample are gone, of the tooth's length some is left
    assert found[145:157, 145:157].max() < 0.05 and found[50:52, 103:].max() < 0.6
    assert np.array_equal(shaping.shaped(area, 0, 0, 0), area)


def test_a_pen_makes_a_stroke_wider_along_its_way() -> None:
    """From a quarter of the width to all of it: as far as it covers grows evenly, as a cone's outline does."""
    path = np.array([[60.0, 100.0], [240.0, 100.0]])
    radii = shapes.radii_of(2, 40.0, (0.25, 1.0))
    assert radii.tolist() == [10.0, 40.0] and shapes.radii_of(3, 40.0, ()).tolist() == [40.0] * 3
    for draw in (lambda r: shapes.stroke(WHOLE, path, r, 1.0), lambda r: shapes.building_stroke(WHOLE, path, r, 1.0, 0.999)):
        across = (draw(radii) > 0.5).sum(0)
        assert abs(across[90] - 2 * 15) <= 2 and abs(across[150] - 2 * 25) <= 2 and abs(across[210] - 2 * 35) <= 2
    # one pass of a brush that builds up lays on as much where it is narrow as where it is wide
    middle = shapes.building_stroke(WHOLE, path, radii, 0.9, 0.4)[100]
    assert np.abs(middle[75:190] - 0.4).max() < 0.06


def test_a_place_looks_like_what_is_about_it_mirrored_at_the_border() -> None:
    lab = np.random.default_rng(4).random((3, 9, 14), np.float32)
    places = np.array([[0.5, 0.5], [13.5, 8.5], [1.5, 4.5], [7.5, 0.5], [6.5, 5.5]])
    found = means_at(lab, Grid(14, 9, 0, 0, 1, 1), places)
    blurred = np.stack([cv2.blur(plane, (5, 5), borderType=cv2.BORDER_REFLECT) for plane in lab])
    wanted = [blurred[:, int(y), int(x)] for x, y in places]
    assert np.allclose(found, wanted, atol=1e-6)
