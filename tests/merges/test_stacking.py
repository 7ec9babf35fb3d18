"""Medians and means of blocks of pixels, against numpy at every pixel; light compared; frames taken in turn."""

import math
import threading

import numpy as np
import pytest

from zincplate.core.merging.placement import TERMS, Placement
from zincplate.core.merging.radiance import SURE, add_up, exposure_ratio
from zincplate.core.merging.stacking import CLIPPED, MEAN, MEDIAN, RELIEF, SHARE, combined, taken_off
from zincplate.merges.in_turn import AT_ONCE, all_of, in_turn
from zincplate.merges.laid import BLOCK, _about

Rows = tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray, np.ndarray]


def frames(n: int, seed: int, whole: bool) -> Rows:
    """Values (n, 3, 5, 300) with outliers, trust, light, and noise by frame; ``whole`` lets every frame be sure everywhere."""
    rng = np.random.default_rng(seed)
    light = rng.uniform(0.5, 2.0, n).astype(np.float32)
    scene = rng.uniform(0.05, 0.6, (3, 5, 300)).astype(np.float32)
    values = (scene * light[:, None, None, None] + rng.normal(0, 0.01, (n, 3, 5, 300))).astype(np.float32)
    far = rng.random((n, 1, 5, 300)) < 0.03
    values = np.where(far, values + np.float32(0.5), values).astype(np.float32)
    trust = np.ones((n, 5, 300), np.float32)
    if not whole:
        trust = rng.choice(np.array([-1, 0, 0.3, 0.8, 1], np.float32), (n, 5, 300))
        trust[:, 0, :4] = -1
        trust[:, 0, 4:8] = 0.2
    slope, offset = rng.uniform(1e-5, 3e-4, (n, 3)), rng.uniform(1e-6, 1e-4, (n, 3))
    return values, trust, light, slope.astype(np.float32), offset.astype(np.float32)


def by_hand(made: Rows, method: int, deviations: float) -> tuple[np.ndarray, np.ndarray]:
    """The same, a pixel at a time."""
    values, trust, light, slope, offset = (a.astype(np.float64) for a in made)
    n, _, rows, columns = values.shape
    use = trust > 0.5
    use |= (~use.any(0))[None] & (trust >= 0)
    middle = np.zeros((3, rows, columns))
    for c, y, x in np.ndindex(3, rows, columns):
        if use[:, y, x].any():
            middle[c, y, x] = np.median((values[:, c, y, x] / light)[use[:, y, x]])
    refused = np.zeros(n, int)
    if method == MEDIAN:
        return middle, refused
    pad = np.pad(middle, ((0, 0), (1, 1), (1, 1)), mode="edge")
    around = np.stack([pad[:, i : i + rows, j : j + columns] for i in range(3) for j in range(3)])
    relief = around.max(0) - around.min(0)
    out = np.zeros_like(middle)
    for y, x in np.ndindex(rows, columns):
        mine = use[:, y, x].copy()
        left = count = int(mine.sum())
        for i in range(n):
            if method != CLIPPED or count <= 2 or not mine[i]:
                continue
            m = np.maximum(middle[:, y, x], 0)
            room = (
                deviations * np.sqrt((slope[i] * m * light[i] + offset[i]) / light[i] ** 2) + SHARE * m + RELIEF * relief[:, y, x]
            )
            if left > 1 and (np.abs(values[i, :, y, x] / light[i] - middle[:, y, x]) > room).any():
                mine[i] = False
                left -= 1
                refused[i] += 1
        for c in range(3):
            if count:
                expected = max(values[mine, c, y, x].sum() / light[mine].sum(), 0)
                weight = light[mine] ** 2 / (slope[mine, c] * expected * light[mine] + offset[mine, c])
                out[c, y, x] = (weight * values[mine, c, y, x] / light[mine]).sum() / weight.sum()
    return out, refused


@pytest.mark.parametrize("whole", [True, False], ids=["sure", "doubtful"])
@pytest.mark.parametrize("method", [MEAN, MEDIAN, CLIPPED])
@pytest.mark.parametrize("n", [1, 2, 3, 4, 7, 12])
def test_combined_is_what_numpy_says_at_every_pixel(n: int, method: int, whole: bool) -> None:
    made = frames(n, 31 * n + method, whole)
    found, refused = combined(*made, method, 3.0)
    expected, gone = by_hand(made, method, 3.0)
    assert np.abs(found - expected).max() < 2e-5
    assert refused.tolist() == gone.tolist()
    if method == CLIPPED and n >= 7 and whole:
        assert gone.sum() > 0.02 * n * 1500  # the outliers, which are three in a hundred


def test_a_quadratic_sky_is_taken_off() -> None:
    rng = np.random.default_rng(8)
    terms, rows, columns, top, width = rng.normal(0, 0.3, (3, 6)), 7, 40, 31, 90
    values = rng.random((3, rows, columns), np.float32)
    v, u = (np.mgrid[top : top + rows, :columns] / width) - 0.5
    sky = np.einsum("ct,thw->chw", terms, np.stack([np.ones_like(u), u, v, u * u, u * v, v * v]))
    found = values.copy()
    taken_off(found, terms, top, width)
    np.testing.assert_allclose(found, values - sky, atol=2e-6)


def test_light_is_the_weighted_median_of_quotients() -> None:
    rng = np.random.default_rng(3)
    for start, size in ((0.25, 5_000), (1.0, 60_000), (3.7, 20_001)):
        first = rng.uniform(0.02, 0.6, size).astype(np.float32)
        second = (first * start * 1.03 + rng.normal(0, 0.004, size)).astype(np.float32)
        second[: size // 5] *= 9  # something moved
        variance = np.full(size, 1.6e-5, np.float32)
        quotient = second.astype(np.float64) / first
        weight = 1 / ((variance + start**2 * variance) / (start * first) ** 2 + SURE**2)
        order = np.argsort(quotient)
        summed = np.cumsum(weight[order])
        expected = quotient[order][np.searchsorted(summed, summed[-1] / 2)]
        assert exposure_ratio(first, second, first, variance, variance, start) == pytest.approx(expected, rel=2e-6)
    few = np.ones(3, np.float32)
    assert math.isnan(exposure_ratio(few, few, few, few, few, 1.0))


def test_a_block_lies_where_its_smooth_field_says() -> None:
    rng = np.random.default_rng(5)
    field = np.zeros((2, TERMS))
    field[:, : min(TERMS, 6)] = rng.normal(0, 2.5, (2, min(TERMS, 6)))
    matrix = np.array([[1.001, 0.002, 3], [-0.002, 0.999, -2], [1e-7, -2e-7, 1]])
    placement = Placement(matrix, 6000, 4000, field)
    for left, top, columns, rows in (
        (0, 0, BLOCK, 256),
        (5500, 3700, BLOCK, 256),
        (2900, 1900, BLOCK, 128),
        (2900, 1900, 70, 128),
    ):
        (_, found) = _about(placement, top, rows, left - BLOCK, BLOCK + columns)
        xx, yy = np.meshgrid(np.linspace(left, left + columns - 1, 9), np.linspace(top, top + rows - 1, 9))
        there = found @ np.stack([xx.ravel(), yy.ravel(), np.ones(xx.size)])
        expected = np.stack(placement.at(xx.ravel(), yy.ravel()))
        assert np.abs(there[:2] / there[2] - expected).max() < 0.02


def test_exposures_are_added_up_as_their_noise_asks_for() -> None:
    """A pixel at a time: weights t^2 / (a t E + b) at the light that all of them show (Hasinoff 2010), the first that is there
    where none can be trusted, and the variance of green by them."""
    values, trust, light, slope, offset = frames(3, 7, whole=False)
    order = np.argsort(light, kind="stable")
    out, variance = np.empty(values.shape[1:], np.float32), np.empty(trust.shape[1:], np.float32)
    clipped = np.empty(trust.shape[1:], np.uint8)
    add_up(values, trust, light, slope, offset, order, np.ones(3, np.float32), out, variance, clipped)
    v, a, b, t = (x.astype(np.float64) for x in (values, slope, offset, light))
    lost = 0
    for y, x in np.ndindex(trust.shape[1:]):
        g = np.maximum(trust[:, y, x].astype(np.float64), 0)
        if g.sum() < 1e-3:
            lost += 1
            taken = next((i for i in order if trust[i, y, x] >= 0), order[0])
            expected = v[taken, :, y, x] / t[taken]
            noise = (a[taken, 1] * max(v[taken, 1, y, x], 0) + b[taken, 1]) / t[taken] ** 2
            assert clipped[y, x] == 1
        else:
            shown = np.maximum((g[:, None] * v[:, :, y, x]).sum(0) / (g * t).sum(), 0)
            weight = (g * t * t)[:, None] / (a * shown * t[:, None] + b)
            expected = (weight * v[:, :, y, x] / t[:, None]).sum(0) / weight.sum(0)
            noise = (g * weight[:, 1]).sum() / weight[:, 1].sum() ** 2
            assert clipped[y, x] == 0
        np.testing.assert_allclose(out[:, y, x], expected, rtol=2e-5, atol=1e-6)
        assert variance[y, x] == pytest.approx(noise, rel=1e-4)
    assert lost > 5


def test_in_turn_keeps_the_order_and_stops_with_who_asked() -> None:
    gate, begun = threading.Event(), []

    def work(i: int) -> int:
        begun.append(i)
        if i == 0:
            gate.wait(20)
        else:
            gate.set()
        return i * i

    if AT_ONCE > 1:  # the first waits for the second, which is under way meanwhile
        assert all_of(work, range(5)) == [0, 1, 4, 9, 16]
    begun.clear()
    never = threading.Event()

    def failing(i: int) -> float:
        begun.append(i)
        if i > 2:
            never.wait(0.3)
        return 1 / (2 - i)

    with pytest.raises(ZeroDivisionError), in_turn(failing, range(200)) as taken:
        assert [next(taken), next(taken)] == [0.5, 1.0]
        next(taken)
    assert len(begun) <= 3 + AT_ONCE
    begun.clear()
    with in_turn(begun.append, range(200)) as taken:  # no more than a few lie ready
        next(taken)
        assert len(begun) <= AT_ONCE + 1
