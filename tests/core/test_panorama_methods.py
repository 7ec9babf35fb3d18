"""What panoramas are made with, each against what is known of made-up data."""

import itertools
from dataclasses import replace

import numpy as np
import pytest
from numpy.typing import NDArray

from zincplate.core.merging.bands import Piece, blended, fine_bands, fine_weights
from zincplate.core.merging.covered import largest_covered
from zincplate.core.merging.evenness import Lights, evened
from zincplate.core.merging.projections import fitting, to_plane, to_rays
from zincplate.core.merging.rectangling import rectangled
from zincplate.core.merging.seams import _Edges, chosen, patches_of
from zincplate.core.merging.shared_places import Features, features_of, matched, pair_of
from zincplate.core.merging.turning_camera import Shared, TurningCamera, adjusted, errors, rotation, spanned, turn_between

Float64 = NDArray[np.float64]
RNG = np.random.default_rng(7)


def degrees(yaw: float, pitch: float = 0.0, roll: float = 0.0) -> Float64:
    y, p, r = np.radians([yaw, pitch, roll])
    return rotation(np.array([0, y, 0])) @ rotation(np.array([p, 0, 0])) @ rotation(np.array([0, 0, r]))


@pytest.mark.parametrize("kind", ["flat", "straightened", "cylinder", "sphere"])
def test_a_projection_goes_there_and_back(kind: str) -> None:
    rays = np.array([[np.sin(a) * np.cos(b), np.sin(b), np.cos(a) * np.cos(b)] for a in (-0.9, 0, 0.6) for b in (-0.5, 0, 0.4)])
    plane = to_plane(kind, rays)  # type: ignore[arg-type]
    back = to_rays(kind, plane[:, 0], plane[:, 1])  # type: ignore[arg-type]
    np.testing.assert_allclose(back / np.linalg.norm(back, axis=1, keepdims=True), rays, atol=1e-9)
    # all are alike about the middle: a pixel there is one of the frame's
    near = to_plane(kind, np.array([[1e-4, 2e-4, 1.0]]))  # type: ignore[arg-type]
    np.testing.assert_allclose(near, [[1e-4, 2e-4]], rtol=1e-6)


def test_projections_by_their_formulas() -> None:
    # 90 degrees to the right, level: Pannini with d = 1 lies at (d + 1) sin / (d + cos) = 2 (Sharpless 2010, equation 1)
    right = np.array([[1.0, 0, 0]])
    np.testing.assert_allclose(to_plane("straightened", right), [[2.0, 0]], atol=1e-12)
    np.testing.assert_allclose(to_plane("cylinder", right), [[np.pi / 2, 0]], atol=1e-12)
    up = np.array([[0, -1.0, 1.0]])
    np.testing.assert_allclose(to_plane("sphere", up), [[0, -np.pi / 4]], atol=1e-12)
    np.testing.assert_allclose(to_plane("cylinder", up), [[0, -1]], atol=1e-12)
    assert not np.isfinite(to_plane("flat", right)).any()
    # an upright line stays upright and straight in all but the sphere
    line = np.array([[np.sin(1.0), y, np.cos(1.0)] for y in (-1, 0, 1)])
    for kind in ("flat", "straightened", "cylinder"):
        assert np.ptp(to_plane(kind, line)[:, 0]) < 1e-12  # type: ignore[arg-type]


def test_the_projection_follows_from_the_width() -> None:
    assert [fitting(*size) for size in ((60, 40), (110, 40), (200, 40), (150, 120))] == [
        "flat", "straightened", "cylinder", "sphere",
    ]  # fmt: skip


def seen(cameras: list[TurningCamera], a: int, b: int, count: int = 60, noise: float = 0.0) -> Shared:
    """Places that two cameras share, by themselves."""
    rng = np.random.default_rng(10 * a + b)
    ones, twos = [], []
    while len(ones) < count:
        place = rng.uniform(-1, 1, (1, 2)) * (600, 400)
        there = cameras[b].places(cameras[a].rays(place))
        if (np.abs(there[0]) < (600, 400)).all():
            ones.append(place[0])
            twos.append(there[0])
    return Shared(a, b, np.array(ones) + rng.normal(0, noise, (count, 2)), np.array(twos) + rng.normal(0, noise, (count, 2)))


def test_cameras_lens_and_focal_length_are_found_from_shared_places() -> None:
    half = float(np.hypot(600, 400))
    turns = [degrees(0), degrees(18, 2, 1), degrees(35, -3, -2), degrees(17, 20, 4), degrees(-16, 1, 180)]
    true = [TurningCamera(1000.0, t, half, -0.03, 0.008) for t in turns]
    pairs = [(0, 1), (1, 2), (0, 3), (1, 3), (0, 4)]
    shared = [seen(true, a, b, noise=0.1) for a, b in pairs]
    start = [TurningCamera(1080.0, t @ rotation(RNG.normal(0, 0.02, 3)), half) for t in turns]
    found = adjusted(start, [0] * 5, shared, True, 0.15)
    assert abs(np.median([c.focal_px for c in found]) / 1000 - 1) < 0.004
    assert abs(found[0].k1 + 0.03) < 0.006
    exact = [seen(true, a, b) for a, b in pairs]
    assert max(float(np.median(e)) for e in errors(found, exact)) < 0.12
    # without a lens to be looked for, none is found
    assert adjusted(start, [0] * 5, shared, False, 0.15)[0].k1 == 0


def test_where_no_lens_is_looked_for_focal_lengths_are_best_without_one() -> None:
    half = float(np.hypot(600, 400))
    turns = [degrees(0), degrees(18, 2, 1), degrees(35, -3, -2)]
    true = [TurningCamera(1000.0, t, half, -0.004, 0.0) for t in turns]
    shared = [seen(true, 0, 1, 200), seen(true, 1, 2, 200)]
    found = adjusted([TurningCamera(1020.0, t, half) for t in turns], [0, 0, 0], shared, False, 0.15)

    def cost(scale: float) -> float:
        cameras = [replace(c, focal_px=c.focal_px * scale) for c in found]
        return float(sum((e**2).sum() for e in errors(cameras, shared)))

    assert cost(1.0) < min(cost(0.9995), cost(1.0005))


def test_wrong_places_do_not_pull_cameras_away() -> None:
    half = float(np.hypot(600, 400))
    true = [TurningCamera(1000.0, degrees(0), half), TurningCamera(1000.0, degrees(20), half)]
    shared = seen(true, 0, 1, 80)
    shared.places_2[:8] += RNG.uniform(20, 60, (8, 2))
    found = adjusted(true, [0, 0], [shared], False, 0.15)
    assert float(np.median(errors(found, [seen(true, 0, 1)])[0])) < 0.1


def test_a_turn_between_directions_is_exact() -> None:
    rays = RNG.normal(size=(20, 3))
    turn = degrees(30, 10, 5)
    np.testing.assert_allclose(turn_between(rays @ turn.T, rays), turn, atol=1e-12)


def test_frames_are_reached_over_the_strongest_pairs() -> None:
    steps = spanned(4, {(0, 1): 5, (1, 2): 50, (0, 2): 40}, 0)
    assert steps == [(0, 2), (2, 1)]  # the fourth hangs on nobody


def test_features_of_a_moved_picture_are_found_again_and_strangers_share_nothing() -> None:
    import cv2

    def drawing(seed: int) -> NDArray[np.float32]:
        rng = np.random.default_rng(seed)
        return np.asarray(cv2.GaussianBlur(rng.normal(size=(300, 460)).astype(np.float32), (0, 0), 2.5) * 6, np.float32)

    whole = drawing(1)
    first, second = whole[:, :360], whole[:, 100:]
    a, b = features_of(first), features_of(second)
    pair = pair_of(0, 1, a, b, (300, 360))
    assert pair is not None and len(pair.places_1) > 60
    np.testing.assert_allclose(np.median(pair.places_1 - pair.places_2, 0), [100, 0], atol=0.05)
    assert pair_of(0, 1, a, features_of(drawing(2)[:, :360]), (300, 360)) is None
    assert len(matched(a, Features(np.empty((0, 2)), np.empty((0, 128), np.float32)))[0]) == 0


def test_exposures_and_fall_off_are_told_apart() -> None:
    gains, terms = np.array([0.0, 0.7, -0.4]), np.array([-0.5, 0.1, -0.05])
    lights = []
    for a, b in itertools.combinations(range(3), 2):
        rho_1, rho_2 = RNG.uniform(0, 1, (2, 300))
        scene = RNG.normal(-2, 1, (300, 3))
        light = [
            scene + gains[k] + (terms[0] * r**2 + terms[1] * r**4 + terms[2] * r**6)[:, None] for k, r in ((a, rho_1), (b, rho_2))
        ]
        light[1][:20] += 1.5  # something moved
        lights.append(Lights(a, b, light[0], light[1] + RNG.normal(0, 0.01, (300, 3)), rho_1, rho_2))
    found = evened(3, lights, np.zeros(3), 0, True, False)
    np.testing.assert_allclose(found.log_gain, np.repeat(gains[:, None], 3, 1), atol=0.004)
    rho = np.linspace(0, 1, 20)
    curve, truth = (t[0] * rho**2 + t[1] * rho**4 + t[2] * rho**6 for t in (found.terms, terms))
    np.testing.assert_allclose(curve, truth, atol=0.01)
    # with a profile nothing is left to be found
    assert np.abs(evened(3, lights, np.zeros(3), 0, False, False).terms).max() < 1e-3
    # where nothing is shared the capture data count
    alone = evened(2, [], np.array([0.0, 0.69]), 0, True, False)
    np.testing.assert_allclose(alone.log_gain[1], 0.69)


def test_a_seam_goes_round_what_moved() -> None:
    light = np.zeros((2, 120, 160), np.float32)
    light[1, 40:80, 70:95] = 1.5  # stands there in the second only
    shown = np.zeros((2, 120, 160), bool)
    shown[0, :, :110], shown[1, :, 50:] = True, True
    labels = chosen(light, shown, np.zeros((2, 120, 160), np.float32))
    assert set(np.unique(labels[:, :50])) == {0} and set(np.unique(labels[:, 110:])) == {1}
    whole = labels[38:82, 68:97]
    assert len(np.unique(whole)) == 1, "all of it or nothing"


def test_the_sharper_frame_is_taken_and_nothing_where_nobody_is() -> None:
    light = RNG.normal(0, 0.02, (2, 60, 90)).astype(np.float32)
    shown = np.ones((2, 60, 90), bool)
    shown[:, :, :5] = False
    dislike = np.zeros((2, 60, 90), np.float32)
    dislike[0] = 0.02
    labels = chosen(light, shown, dislike)
    assert (labels[:, :5] == -1).all() and (labels[:, 5:] == 1).mean() > 0.99


def test_frames_that_agree_are_blended_to_what_they_show() -> None:
    whole = RNG.random((3, 90, 140)).astype(np.float32)
    first, second = whole[:, :, :90], whole[:, 10:, 50:]
    pieces = [Piece(first, np.ones(first.shape[1:], bool), 0, 0), Piece(second, np.ones(second.shape[1:], bool), 50, 10)]
    labels = np.zeros((90, 140), np.int16)
    labels[:, 70:] = 1
    labels[:10, 70:] = np.where(np.arange(70, 140) < 90, 0, -1)
    out = blended(pieces, labels, 3)
    inner = (slice(None), slice(30, 80), slice(20, 120))
    np.testing.assert_allclose(out[inner], whole[inner], atol=2e-3)
    assert (out[:, :10, 95:] == 0).all()


def test_a_step_between_frames_is_spread_over_a_wide_seam() -> None:
    planes = [np.full((3, 64, 128), v, np.float32) for v in (1.0, 1.2)]
    pieces = [Piece(p, np.ones((64, 128), bool), 0, 0) for p in planes]
    labels = np.zeros((64, 128), np.int16)
    labels[:, 64:] = 1
    row = blended(pieces, labels, 4)[0, 32]
    assert abs(row[5] - 1) < 0.02 and abs(row[-5] - 1.2) < 0.02
    assert np.abs(np.diff(row)).max() < 0.012, "no step is left"


def test_fine_bands_sum_up_to_the_picture() -> None:
    planes = RNG.random((3, 40, 50)).astype(np.float32)
    np.testing.assert_allclose(sum(fine_bands(planes, 3)), planes, atol=1e-6)
    weights = fine_weights(np.ones((40, 50), np.float32), 3)
    assert len(weights) == 4 and all(np.allclose(w, 1) for w in weights)


def test_the_largest_covered_rectangle_is_the_largest() -> None:
    for seed in range(12):
        covered = np.random.default_rng(seed).random((9, 11)) > 0.25
        x, y, w, h = largest_covered(covered)
        assert covered[y : y + h, x : x + w].all()
        best = max(
            (b - a) * (d - c)
            for a, b in itertools.combinations(range(10), 2)
            for c, d in itertools.combinations(range(12), 2)
            if covered[a:b, c:d].all()
        )
        assert w * h == best
    assert largest_covered(np.zeros((4, 4), bool)) == (0, 0, 0, 0)
    one = np.zeros((4, 4), bool)
    one[2, 1] = True
    assert largest_covered(one) == (1, 2, 1, 1)


def test_an_outline_is_bent_into_a_rectangle_and_lines_stay_straight() -> None:
    import cv2

    h, w = 160, 320
    covered = np.zeros((h, w), bool)
    for x in range(w):  # a band that sags like a view that was tilted
        sag = int(14 * (1 - ((x - w / 2) / (w / 2)) ** 2))
        covered[sag : h - 14 + sag, x] = True
    light = np.full((h, w), -2, np.float32)
    cv2.line(light, (40, 90), (280, 90), 1.0, 2)
    cv2.line(light, (90, 40), (90, 130), 1.0, 2)
    bend = rectangled(light, covered, 2 * w, 2 * h, 1.0)
    assert bend is not None
    xx, yy = np.meshgrid(np.arange(2, 2 * w - 2, 4.0), np.arange(2, 2 * h - 2, 4.0))
    x, y = bend.at(xx, yy)
    inside = covered[np.clip(y / 2, 0, h - 1).astype(int), np.clip(x / 2, 0, w - 1).astype(int)]
    assert inside.mean() > 0.985, "all of the rectangle shows something"
    assert covered.mean() < 0.93
    # where the upright line came to lie: straight within a pixel and a half of 180 (a column's share of the picture)
    down = np.arange(100.0, 240.0, 10)
    found = []
    for row in down:
        bx, by = bend.at(np.arange(120.0, 240.0), np.full(120, row))
        found.append(120 + int(np.abs(bx - 180).argmin()))
        assert 60 < by.mean() < 280
    fit = np.polyval(np.polyfit(down, found, 1), down)
    assert np.abs(fit - found).max() < 1.6
    half = rectangled(light, covered, 2 * w, 2 * h, 0.5)
    assert half is not None
    np.testing.assert_allclose(half.at(xx, yy)[1] - yy, (y - yy) / 2, atol=0.5)
    cut = bend.moved(10, 20)
    np.testing.assert_allclose(cut.at(np.array([5.0]), np.array([7.0])), bend.at(np.array([15.0]), np.array([27.0])))
    assert rectangled(light, np.ones((h, w), bool), w, h, 1.0) is None


def test_what_moved_is_a_patch_of_its_own() -> None:
    difference = np.abs(RNG.normal(0, 0.02, (100, 140))).astype(np.float32)
    difference[40:70, 60:90] = 1.0
    patches, count = patches_of(difference, np.full((100, 140), 3, np.int64))
    assert count > 20 and (patches > 0).all()
    moved = np.isin(patches, np.unique(patches[44:66, 64:86]))
    assert moved[44:66, 64:86].all() and moved.sum() < 2.6 * 30 * 30, "it does not run out into what agrees"
    # patches end where another set of frames begins
    codes = np.full((100, 140), 3, np.int64)
    codes[:, 70:] = 1
    patches, _ = patches_of(difference, codes)
    assert not set(np.unique(patches[:, :70])) & set(np.unique(patches[:, 70:]))


def test_of_two_frames_the_cheapest_seam_is_found() -> None:
    """Against every way of sharing the patches out: with two frames one expansion is exact."""
    for seed in range(4):
        rng = np.random.default_rng(seed)
        coarse = rng.random((2, 3, 4)).astype(np.float32)
        light = np.repeat(np.repeat(coarse, 14, 1), 14, 2)
        shown = np.ones(light.shape, bool)
        dislike = np.repeat(np.repeat(rng.random((2, 3, 4)).astype(np.float32) * 0.03, 14, 1), 14, 2)
        difference = np.abs(light[0] - light[1])
        patches, count = patches_of(difference, np.full(difference.shape, 3, np.int64))
        if count > 14:
            continue
        edges = _Edges(patches, count, light, shown)
        own = np.array([[dislike[i][patches == n + 1].sum() for n in range(count)] for i in range(2)])

        def cost(labels: NDArray[np.int64], own: Float64 = own, edges: _Edges = edges, count: int = count) -> float:
            return float(own[labels, np.arange(count)].sum() + edges.between(labels[edges.p], labels[edges.q]).sum())

        found = chosen(light, shown, dislike)
        mine = np.array([found[patches == n + 1][0] for n in range(count)], np.int64)
        best = min(cost(np.array(ways, np.int64)) for ways in itertools.product((0, 1), repeat=count))
        assert cost(mine) <= best + 1e-2 * count


def test_strangers_share_nothing_however_often_they_are_asked() -> None:
    import cv2

    def drawing(seed: int) -> Features:
        noise = np.random.default_rng(seed).normal(size=(240, 320)).astype(np.float32)
        return features_of(np.asarray(cv2.GaussianBlur(noise, (0, 0), 2.5) * 6, np.float32))

    known = [drawing(seed) for seed in range(20, 27)]
    assert all(pair_of(0, 1, a, b, (240, 320)) is None for a, b in itertools.combinations(known, 2))


def test_a_line_beside_a_bent_edge_stays_straight() -> None:
    import cv2

    h, w = 160, 320
    covered = np.ones((h, w), bool)
    for x in range(w):
        covered[: int(34 * (1 - ((x - w / 2) / (w / 2)) ** 2)), x] = False
    light = np.full((h, w), -2, np.float32)
    cv2.line(light, (30, 52), (290, 52), 1.0, 2)
    bend = rectangled(light, covered, w, h, 1.0)
    assert bend is not None
    # where the line came to lie in each column
    rows = np.arange(2.0, 158.0, 0.5)
    found = []
    for column in range(60, 261, 20):
        _, y = bend.at(np.full(len(rows), float(column)), rows)
        found.append(rows[int(np.abs(y - 52).argmin())])
    line = np.polyval(np.polyfit(np.arange(len(found)), found, 1), np.arange(len(found)))
    assert np.abs(line - found).max() < 2.5
