"""Repairs' methods: membranes, cuts, repeats, sources, dust, and fills, each against something known."""

import base64

import cv2
import numpy as np
import pytest
from scipy.sparse import csc_matrix, csr_matrix
from scipy.sparse.csgraph import maximum_flow
from scipy.sparse.linalg import spsolve

from zincplate.core.repair.dust import shadow, spots
from zincplate.core.repair.fill import blended, found
from zincplate.core.repair.fill_map import Fill, fill_from_text
from zincplate.core.repair.healing import from_roots, healed, to_roots
from zincplate.core.repair.hurried_fill import hurried
from zincplate.core.repair.max_flow import smallest_cut
from zincplate.core.repair.membrane import poisson
from zincplate.core.repair.repeats import translations
from zincplate.core.repair.source_search import candidates

RNG = np.random.default_rng(19)
H, W = 90, 110
Y, X = np.mgrid[:H, :W]
INSIDES = {
    "disc": np.hypot(Y - 45, X - 50) < 36,
    "blobs": cv2.GaussianBlur(RNG.normal(size=(H, W)).astype(np.float32), (0, 0), 4) > 0,
    "scratch": (abs(Y - 45 - 8 * np.sin(X / 8)) < 1.6) & (X > 8) & (X < 100),
    "at the border": X < 60,
    "one pixel": (Y == 7) & (X == 9),
    "a corner": (Y < 20) & (X < 30),
}


def solved(given: np.ndarray, inside: np.ndarray, right: np.ndarray) -> np.ndarray:
    """The same equation by a sparse direct solver (scipy)."""
    number = np.full(inside.shape, -1)
    number[inside] = np.arange(inside.sum())
    rows, columns, values, side = [], [], [], right[inside].astype(np.float64)
    for y, x in zip(*np.nonzero(inside), strict=True):
        i, count = number[y, x], 0
        for v, u in ((y + 1, x), (y - 1, x), (y, x + 1), (y, x - 1)):
            if not (0 <= v < inside.shape[0] and 0 <= u < inside.shape[1]):
                continue
            count += 1
            if inside[v, u]:
                rows, columns, values = [*rows, i], [*columns, number[v, u]], [*values, -1.0]
            else:
                side[i] += given[v, u]
        rows, columns, values = [*rows, i], [*columns, i], [*values, float(count)]
    out = given.astype(np.float64).copy()
    out[inside] = spsolve(csc_matrix((values, (rows, columns))), side)
    return out


@pytest.mark.parametrize("name", INSIDES)
@pytest.mark.parametrize("sides", ["membrane", "gradients"])
def test_poisson_equals_the_direct_solution(name: str, sides: str) -> None:
    inside = INSIDES[name]
    given = RNG.random((1, H, W)).astype(np.float32)
    right = np.where(inside, 0.1 * RNG.normal(size=(H, W)), 0) if sides == "gradients" else np.zeros((H, W))
    ours = poisson(given, inside, right.astype(np.float32)[None] if sides == "gradients" else None)
    assert np.abs(ours[0] - solved(given[0], inside, right)).max() < 1e-4
    assert (ours[0][~inside] == given[0][~inside]).all()


def test_single_grains_of_the_border_do_not_run_in() -> None:
    """The light of a border with grain: what comes in is calmer by far than the membrane of the border as it is."""
    rng = np.random.default_rng(4)
    inside = INSIDES["disc"]
    source = np.full((3, H, W), 0.5, np.float32)
    target = (0.7 + 0.05 * rng.normal(size=(3, H, W))).astype(np.float32)
    raw = source + poisson(np.where(inside, 0, target - source).astype(np.float32), inside, None)
    ours = healed(target, source, inside)
    ring = inside & (cv2.distanceTransform(inside.astype(np.uint8), cv2.DIST_L2, 5) < 5)
    spread = [float(np.abs(planes[:, ring] - 0.7).mean()) for planes in (ours, raw)]
    assert spread[0] < 0.6 * spread[1] and abs(float(ours[:, inside].mean()) - 0.7) < 0.01
    assert (ours[:, ~inside] == target[:, ~inside]).all()


def test_a_border_that_cannot_be_compared_has_the_mean_of_what_can() -> None:
    inside = INSIDES["disc"]
    source, target = np.full((3, H, W), 0.5, np.float32), np.full((3, H, W), 0.7, np.float32)
    source[:, :, : W // 2] = 9.0  # that part of it lies beyond the picture
    source[:, inside] = 0.5
    ours = healed(target, source, inside, fit=X >= W // 2)
    assert np.abs(ours[:, inside] - 0.7).max() < 2e-3
    assert np.abs(healed(target, source, inside)[:, inside] - 0.7).max() > 1
    assert (healed(target, source, inside, fit=np.zeros((H, W), np.bool_))[:, inside] == 0.5).all()


def test_nothing_inside_and_nothing_outside() -> None:
    given = RNG.random((3, 20, 30)).astype(np.float32)
    assert (poisson(given, np.zeros((20, 30), np.bool_)) == given).all()
    everywhere = poisson(given, np.ones((20, 30), np.bool_))
    assert np.allclose(everywhere.mean((1, 2)), given.mean((1, 2)), atol=1e-4)


@pytest.mark.parametrize("seed", range(12))
def test_cuts_cost_what_the_largest_flow_is(seed: int) -> None:
    """Ford and Fulkerson's theorem, the flow by scipy.sparse.csgraph.maximum_flow."""
    rng = np.random.default_rng(seed)
    h, w = rng.integers(1, 13, 2)
    n, at = int(h * w), np.arange(h * w)
    capacity = rng.integers(0, 9, (4, n)).astype(np.int32)
    capacity[0][at % w == w - 1], capacity[1][at % w == 0] = 0, 0
    capacity[2][at >= n - w], capacity[3][at < w] = 0, 0
    ends = rng.integers(-12, 13, n).astype(np.int32)
    edges = [(i, i + o, int(capacity[d, i])) for d, o in enumerate((1, -1, w, -w)) for i in range(n) if capacity[d, i]]
    all_edges = (
        edges + [(n, i, int(e)) for i, e in enumerate(ends) if e > 0] + [(i, n + 1, -int(e)) for i, e in enumerate(ends) if e < 0]
    )
    sink = smallest_cut(capacity.copy(), ends.copy(), int(w))
    cost = sum(c for i, j, c in edges if not sink[i] and sink[j])
    cost += int(ends[(ends > 0) & sink].sum() - ends[(ends < 0) & ~sink].sum())
    rows, columns, values = zip(*all_edges, strict=True) if all_edges else ((), (), ())
    graph = csr_matrix((np.array(values, np.int32), (rows, columns)), shape=(n + 2, n + 2))
    assert cost == maximum_flow(graph, n, n + 1).flow_value


def test_healing_takes_texture_and_leaves_light() -> None:
    """Over a slope of light a texture from elsewhere keeps its grain; no step at the border, and the slope goes on."""
    rng = np.random.default_rng(3)
    slope = np.linspace(0.3, 0.7, 200, dtype=np.float32)[None, None] * np.ones((3, 160, 1), np.float32)
    grain = 0.02 * rng.normal(size=(3, 160, 200)).astype(np.float32)
    spoiled = slope + grain
    inside = np.hypot(np.mgrid[:160, :200][0] - 80, np.mgrid[:160, :200][1] - 120) < 25
    spoiled[:, inside] -= 0.25
    source = np.roll(slope + grain, 60, axis=2)
    result = healed(spoiled, source, inside)
    assert (result[:, ~inside] == spoiled[:, ~inside]).all()
    assert np.abs((result - slope)[:, inside].mean()) < 0.004
    assert (result - slope)[:, inside].std() == pytest.approx(0.02, rel=0.12)
    # far from a copy, which would be off by the slope itself
    assert np.abs((source - slope)[:, inside].mean()) > 0.1


def test_roots_and_back() -> None:
    values = np.array([-0.5, -0.001, 0, 0.001, 0.3, 4], np.float32)
    assert np.allclose(from_roots(to_roots(values, 0.002), 0.002), values, atol=1e-6)


def test_repeats_are_found() -> None:
    """Tiles 14 by 22 pixels, each unlike the next in noise: the commonest way is one or two tiles."""
    rng = np.random.default_rng(1)
    tile = rng.random((3, 14, 22)).astype(np.float32)
    wall = np.tile(tile, (1, 8, 6)) + 0.05 * rng.normal(size=(3, 112, 132)).astype(np.float32)
    ways, rarer = translations(wall, np.ones(wall.shape[1:], np.bool_), 8.0, 6)
    assert rarer[0] == 1 and (np.diff(rarer) >= 0).all()
    assert all(abs(dy) % 14 in (0, 1, 13) and abs(dx) % 22 in (0, 1, 21) for dy, dx in ways)
    assert min(np.hypot(*w) for w in ways) > 8


def test_a_spot_on_an_edge_is_taken_from_along_the_edge() -> None:
    rng = np.random.default_rng(2)
    y, x = np.mgrid[:200, :260]
    picture = np.where(y > 60 + 0.4 * x, 0.2, 0.8).astype(np.float32)[None] + 0.01 * rng.normal(size=(3, 200, 260)).astype(
        np.float32
    )
    spot = np.hypot(y - 112, x - 130) < 9
    picture[:, spot] = 0.05
    found_ways = candidates(picture, spot, np.ones(spot.shape, np.bool_))
    dy, dx, cost = found_ways[0]
    assert abs(dy - 0.4 * dx) <= 1.5 and np.hypot(dy, dx) > 18
    assert cost <= min(c for _, _, c in found_ways[1:]) and len(found_ways) >= 4
    # never from a place that may not be taken, and nothing where there is none
    left = np.ones(spot.shape, np.bool_)
    left[:, 130:] = False
    assert all(dx < 0 for _, dx, _ in candidates(picture, spot, left))
    assert candidates(picture, spot, spot) == [] and candidates(picture, np.zeros_like(spot), left) == []


def dusty(seed: int, amplitude: float) -> tuple[np.ndarray, list[tuple[float, float, float]]]:
    """An uneven sky with noise of 0.01 and 200 soft spots, ``amplitude`` deviations deep, 2.5 to 20 pixels in radius."""
    rng = np.random.default_rng(seed)
    h, w = 1400, 2000
    y, x = np.mgrid[:h, :w].astype(np.float32)
    sky = 0.6 + 0.15 * np.sin(x / 700) + 0.1 * y / h + 0.01 * rng.normal(size=(h, w)).astype(np.float32)
    placed: list[tuple[float, float, float]] = []
    while len(placed) < 200:
        px, py, r = rng.uniform(40, w - 40), rng.uniform(40, h - 40), rng.uniform(2.5, 20)
        if all(np.hypot(px - a, py - b) > 70 for a, b, _ in placed):
            placed.append((px, py, r))
            part = np.s_[max(int(py - 2 * r), 0) : int(py + 2 * r) + 1, max(int(px - 2 * r), 0) : int(px + 2 * r) + 1]
            far = np.hypot(x[part] + 0.5 - px, y[part] + 0.5 - py)
            sky[part] -= amplitude * 0.01 * np.clip((1.2 * r - far) / (0.4 * r), 0, 1)
    return sky, placed


@pytest.mark.parametrize("amplitude", [3.0, 5.0])
def test_dust_is_found_above_three_deviations(amplitude: float) -> None:
    sky, placed = dusty(7, amplitude)
    told = spots(sky)
    hits = sum(any(np.hypot(s.x - x, s.y - y) < max(r, 2) for s in told) for x, y, r in placed)
    right = sum(any(np.hypot(s.x - x, s.y - y) < max(1.3 * r, 3) for x, y, r in placed) for s in told)
    assert hits >= 0.95 * len(placed) and right >= 0.95 * len(told)
    sizes = [s.radius_px / r for s in told for x, y, r in placed if np.hypot(s.x - x, s.y - y) < r]
    assert 0.75 < np.median(sizes) < 1.15


def test_noise_lines_and_leaves_are_no_dust() -> None:
    rng = np.random.default_rng(5)
    noise = 0.5 + 0.02 * rng.normal(size=(900, 1200)).astype(np.float32)
    assert len(spots(noise)) <= 1
    lined = noise.copy()
    cv2.line(lined, (100, 700), (1100, 200), 0.2, 5)
    assert len(spots(lined, least_chance=0.8)) <= 2  # but for its ends
    leaves = cv2.GaussianBlur(rng.normal(size=(900, 1200)).astype(np.float32), (0, 0), 3)
    assert len(spots(leaves / leaves.std(), least_chance=0.8)) <= 3


def test_light_spots_only_when_asked() -> None:
    sky = 0.5 + 0.01 * np.random.default_rng(6).normal(size=(300, 400)).astype(np.float32)
    sky[100:108, 200:208] += 0.1
    assert spots(sky) == []
    (one,) = spots(sky, light_too=True)
    assert np.hypot(one.x - 204, one.y - 104) < 2


def chequered() -> tuple[np.ndarray, np.ndarray]:
    """Tiles of two colours with joints and grain, and a hole over some of them."""
    rng = np.random.default_rng(8)
    y, x = np.mgrid[:240, :300]
    base = np.where((y // 24 + x // 24) % 2, 0.7, 0.35)
    base[(y % 24 < 2) | (x % 24 < 2)] = 0.15
    picture = np.stack([base, 0.9 * base, 0.7 * base]).astype(np.float32) + 0.01 * rng.normal(size=(3, 240, 300)).astype(
        np.float32
    )
    hole = np.zeros((240, 300), np.bool_)
    hole[90:150, 110:190] = True
    return picture, hole


def test_tiles_go_on_through_a_hole() -> None:
    picture, hole = chequered()
    spoiled = picture.copy()
    spoiled[:, hole] = 0.5
    fill = found(spoiled, hole, ~hole)
    result = blended(spoiled, hole, fill)
    assert (result[:, ~hole] == spoiled[:, ~hole]).all()
    error = np.sqrt(np.square(result - picture)[:, hole].mean())
    rough = cv2.inpaint((255 * spoiled[0]).astype(np.uint8), hole.astype(np.uint8), 5, cv2.INPAINT_TELEA) / 255
    assert error < 0.03 and error < 0.3 * np.sqrt(np.square(rough - picture[0])[hole].mean())
    # grain as everywhere
    calm = lambda p: p - cv2.blur(p, (5, 5))  # noqa: E731
    flat = np.zeros_like(hole)
    flat[100:112, 124:140] = True
    assert calm(result[0])[flat].std() == pytest.approx(calm(picture[0])[flat].std(), rel=0.2)


def test_fills_are_repeatable_texts_and_have_variants() -> None:
    picture, hole = chequered()
    one, same, other = (found(picture, hole, ~hole, seed) for seed in (0, 0, 3))
    assert one.to_text() == same.to_text() and one.to_text() != other.to_text()
    again = fill_from_text(one.to_text())
    assert (again.labels == one.labels).all() and (again.offsets == one.offsets).all() and (again.left, again.top) == (110, 90)
    assert (blended(picture, hole, again) == blended(picture, hole, one)).all()
    assert len(one.to_text()) < 6000


def test_a_narrowed_source_is_all_that_is_taken() -> None:
    picture, hole = chequered()
    source = ~hole
    source[:, :200] = False
    fill = found(picture, hole, source)
    ys, xs = np.nonzero(hole)
    to = fill.offsets[fill.labels[ys - fill.top, xs - fill.left]]
    assert source[ys + to[:, 0], xs + to[:, 1]].all()


def test_impossible_and_damaged_fills_are_told() -> None:
    picture, hole = chequered()
    with pytest.raises(ValueError, match="nothing around"):
        found(picture, np.ones_like(hole), np.zeros_like(hole))
    for text in ("!", base64.b64encode(b"short").decode(), found(picture, hole, ~hole).to_text()[:-40]):
        with pytest.raises(ValueError, match="damaged"):
            fill_from_text(text)
    fill = found(picture, hole, ~hole)
    with pytest.raises(ValueError, match="another place"):
        blended(picture, np.roll(hole, 30, 1), fill)
    with pytest.raises(ValueError, match="out of the picture"):
        blended(picture, hole, Fill(fill.left, fill.top, fill.labels, fill.offsets + 5000))


@pytest.mark.parametrize("quick", [True, False])
def test_holes_of_every_shape(quick: bool) -> None:
    """One pixel, at the border, nearly everything, a scratch: filled from what may be taken, and nothing else touched."""
    picture, _ = chequered()
    y, x = np.mgrid[:240, :300]
    for hole in ((y == 100) & (x == 100), x < 60, (x > 12) | (y > 12), abs(y - 100) < 2, (y < 30) & (x > 280)):
        fill = found(picture, hole, ~hole, 0, quick)
        result = blended(picture, hole, fill)
        assert np.isfinite(result).all() and (result[:, ~hole] == picture[:, ~hole]).all()
        assert result.min() > -0.4 and result.max() < 1.4


@pytest.mark.parametrize(
    ("through", "light", "low", "high"),
    [
        ((0.75, 0.75, 0.75), 0.4, 0.95, 1.0),  # dust
        ((0.93, 0.93, 0.93), 0.4, 0.95, 1.0),  # hardly any
        ((0.9, 0.6, 0.35), 0.4, 0.0, 0.1),  # a leaf or a rust stain
        ((0.05, 0.05, 0.05), 0.4, 0.0, 0.05),  # a hole
        ((0.75, 0.75, 0.75), 0.999, 0.0, 0.0),  # in blown light nothing can be told
    ],
)
def test_what_dust_lets_through(through: tuple[float, float, float], light: float, low: float, high: float) -> None:
    rng = np.random.default_rng(7)
    y, x = np.mgrid[:41, :41]
    spot = np.hypot(y - 20, x - 20) < 6
    planes = np.full((3, 41, 41), light, np.float32) * np.array([0.8, 1.0, 0.6], np.float32)[:, None, None]
    if light > 0.9:
        planes[:] = light
    planes[:, spot] *= np.array(through, np.float32)[:, None]
    planes += 0.01 * light * rng.normal(size=planes.shape).astype(np.float32)
    assert low <= shadow(planes, (20.5, 20.5), 6.0, np.ones(3, np.float32)) <= high


def test_noise_does_not_make_dust_coloured() -> None:
    """A faint spot of two pixels in coarse noise: its medians waver, and that is allowed for."""
    rng = np.random.default_rng(8)
    told = []
    for _ in range(40):
        planes = 0.1 * (1 + 0.15 * rng.normal(size=(3, 17, 17)).astype(np.float32))
        planes[:, 7:10, 7:10] *= 0.6
        told.append(shadow(planes, (8.5, 8.5), 2.0, np.ones(3, np.float32)))
    assert np.mean(told) > 0.8


def test_what_is_void_says_nothing() -> None:
    """Where the picture does not go any value may stand: neither where a fill takes from nor its light depends on it."""
    rng = np.random.default_rng(21)
    y, x = np.mgrid[:70, :90]
    grey = 0.5 + 0.2 * np.sin(x / 4) * np.sin(y / 5) + 0.01 * rng.normal(size=(70, 90))
    roots = np.repeat(grey[None], 3, 0).astype(np.float32)
    beyond = y < 12
    hole = beyond & (x >= 20) & (x < 60)
    void = beyond & ~hole
    results = []
    for value in (0.0, 1.0):
        given = roots.copy()
        given[:, beyond] = value
        fill = found(given, hole, ~beyond, void=void)
        results.append((fill.to_text(), blended(given, hole, fill, void=void)[:, hole]))
    assert results[0][0] == results[1][0]
    assert np.abs(results[0][1] - results[1][1]).max() < 2e-3
    assert np.abs(results[0][1].mean() - roots[:, ~beyond].mean()) < 0.1


def test_another_subject_is_not_smeared_but_other_light_is_evened() -> None:
    roots = np.full((3, 60, 80), 0.3, np.float32)
    roots[:, :, 40:] = 0.36
    roots[:, 4:16, 44:64] = 0.9  # a bright thing in the lighter half
    hole = np.zeros((60, 80), np.bool_)
    hole[20:50, 10:30] = True
    one = np.zeros((30, 20), np.uint16)
    lighter = blended(roots, hole, Fill(10, 20, one, np.array([[0, 40]])))
    assert np.abs(lighter[:, hole] - 0.3).max() < 2e-3  # the same subject in other light takes on the light here
    # most of it fits; the upper rows are copied from the bright thing
    one[:6] = 1
    mixed_up = blended(roots, hole, Fill(10, 20, one, np.array([[0, 40], [-16, 34]])))
    assert mixed_up[:, 20:25, 12:28].min() > 0.8 and np.abs(mixed_up[:, 28:49, 12:28] - 0.3).max() < 0.03


@pytest.mark.parametrize("side", [200, 400])
def test_a_hurried_fill_goes_on_as_well_and_takes_only_what_it_may(side: int) -> None:
    """At the size it has, and so large that it is looked for at half of it: tiles go on, grain stays, the rest is untouched."""
    rng, (y, x) = np.random.default_rng(5), np.mgrid[:721, :803]
    base = np.where((y // 48 + x // 48) % 2, 0.7, 0.35)
    base[(y % 48 < 4) | (x % 48 < 4)] = 0.15
    grain = 0.01 * rng.normal(size=(3, 721, 803))
    truth = (np.stack([base, 0.9 * base, 0.7 * base]) + grain).astype(np.float32)
    hole = np.zeros(base.shape, np.bool_)
    hole[150 : 150 + side, 170 : 170 + side + 3] = True
    spoiled = np.where(hole, np.float32(0.5), truth)
    spoiled[:, :, 700:] = 3.0
    result = hurried(spoiled, hole, x < 700, 0)
    assert (result[:, ~hole] == spoiled[:, ~hole]).all() and result[:, hole].max() < 1
    wrong = (result - truth)[:, hole]
    assert np.sqrt((wrong**2).mean()) < (0.06 if side == 200 else 0.1)
    inner = hole & (y % 48 > 12) & (y % 48 < 40) & (x % 48 > 12) & (x % 48 < 40)
    fine = result[0] - cv2.GaussianBlur(result[0], (0, 0), 2)
    kept = truth[0] - cv2.GaussianBlur(truth[0], (0, 0), 2)
    assert 0.8 < fine[inner].std() / kept[inner].std() < 1.5
    assert np.abs(result - hurried(spoiled, hole, x < 700, 0)).max() == 0
    with pytest.raises(ValueError, match="nothing around"):
        hurried(spoiled, hole, np.zeros_like(hole), 0)


def test_two_spots_side_by_side_are_two() -> None:
    """Of one that is found at several sizes one is told; another close by stays another."""
    rng, (y, x) = np.random.default_rng(14), np.mgrid[:200, :260]
    for places in ((120,), (120, 129), (120, 131)):
        roots = (0.6 + 0.004 * rng.normal(size=(200, 260))).astype(np.float32)
        for cx in places:
            roots[np.hypot(x - cx, y - 90) < 3.2] -= 0.08
        assert sorted(round(s.x - 0.5) for s in spots(roots)) == list(places)
