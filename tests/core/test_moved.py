"""What moved is told from noise, from flicker and from edges that lie a little beside each other."""

import cv2
import numpy as np
import pytest

from zincplate.core.merging.moved import Moved, allowed, moved

SIZE = (160, 240)


def field(seed: int, deviation: float, level: float = 1.0) -> np.ndarray:
    return level + deviation * np.random.default_rng(seed).standard_normal(SIZE)


def found(light: list[np.ndarray], deviation: list[float], worth: list[float] | None = None, **base: dict[int, int]) -> Moved:
    variance = np.stack([np.full(SIZE, d * d) for d in deviation]).astype(np.float32)
    shown = np.ones((len(light), *SIZE), bool)
    signal = np.asarray(worth or [1.0] * len(light), np.float32)
    return moved(np.stack(light).astype(np.float32), variance, shown, signal, 4.0, base.get("base", {}))


def test_noise_is_no_movement_however_much_of_it_each_frame_has() -> None:
    for deviation in ([0.2, 0.2], [0.05, 0.3], [0.3, 0.05]):
        told = found([field(k, d) for k, d in enumerate(deviation)], deviation)
        assert told.regions == () and told.differs.mean() < 1e-3
        # the same difference in a frame that is said to be calm is one
        assert found([field(k, d) for k, d in enumerate(deviation)], [0.01, 0.01]).differs.mean() > 0.05


def test_flicker_and_a_picture_a_little_beside_are_forgiven() -> None:
    x = np.arange(SIZE[1])
    bars = np.broadcast_to(1 + 0.8 * np.sin(x / 6), SIZE)
    beside = np.broadcast_to(1 + 0.8 * np.sin((x + 0.3) / 6), SIZE)
    assert found([bars, 1.02 * bars], [1e-3, 1e-3]).regions == ()
    assert found([bars, beside], [1e-3, 1e-3]).regions == ()
    far = np.broadcast_to(1 + 0.8 * np.sin((x + 1.5) / 6), SIZE)
    assert found([bars, far], [1e-3, 1e-3]).differs.any()


def test_a_passer_by_is_a_region_and_what_most_show_counts_there() -> None:
    light = [field(k, 0.01) for k in range(4)]
    light[2][40:80, 100:130] += 0.5
    told = found(light, [0.01] * 4, [1.0, 4.0, 16.0, 2.0])
    (region,) = told.regions
    x, y, width, height = region.box
    assert abs(x - 100) <= 3 and abs(y - 40) <= 3 and abs(width - 30) <= 6 and abs(height - 40) <= 6
    assert abs(region.share - 30 * 40 / (160 * 240)) < 0.012
    assert region.base == 1 and region.agreeing == (0, 3)  # of those that agree the one with the most light
    counts = allowed(told, 4)
    assert counts[2, 60, 115] < 0.01 and counts[[0, 1, 3], 60, 115].min() > 0.99
    assert counts[:, 20, 20].min() > 0.99
    # the frame that he is in may be chosen by hand: then he stays, and the others do not count
    chosen = found(light, [0.01] * 4, base={1: 2})
    assert chosen.regions[0].base == 2 and chosen.regions[0].agreeing == ()
    counts = allowed(chosen, 4)
    assert counts[2, 60, 115] > 0.99 and counts[[0, 1, 3], 60, 115].max() < 0.01


def test_a_curve_that_is_known_roughly_has_moved_nothing() -> None:
    """A tenth of contrast too much in one of two: up to a third of the light, all over. A patch in it did move."""
    rng = np.random.default_rng(8)
    light = np.exp(cv2.GaussianBlur(rng.normal(0, 1, (160, 240)), (0, 0), 12) * 14 - 2).clip(0.03, 0.6)
    other = 0.8 * (light / 0.8) ** 1.1
    other[40:70, 100:130] *= 1.6
    pair = np.stack([light, other]).astype(np.float32)
    pair += rng.normal(0, 1e-4, pair.shape).astype(np.float32)
    variance, shown = np.full(pair.shape, 1e-8, np.float32), np.ones(pair.shape, bool)
    found = moved(pair, variance, shown, np.ones(2, np.float32), 8.0, {}, by_codes=True)
    patch = max(found.regions, key=lambda r: r.share)
    assert sum(r.share for r in found.regions) - patch.share < 0.005, "hardly anything is as dark as the darkest"
    x, y, w, h = patch.box
    assert abs(x - 100) < 6 and abs(y - 40) < 6 and abs(w - 30) < 12 and abs(h - 30) < 12
    assert sum(r.share for r in moved(pair, variance, shown, np.ones(2, np.float32), 8.0, {}).regions) > 0.3


def before_a_window(stops: float, ev: float, contrast: float = 1.5) -> tuple[list[np.ndarray], np.ndarray, np.ndarray]:
    """Two frames, the second of which shows light up to 1 only: bright texture that is clipped there for the most part, and
    somebody before it who stands elsewhere in the first. Light in one unit, what is shown, what is clipped."""
    rng = np.random.default_rng(2)
    wall = 1.5 * np.exp(cv2.GaussianBlur(rng.normal(0, 1, SIZE), (0, 0), 1.5) * contrast) * ev
    light = [wall.copy(), wall.copy()]
    light[0][50:110, 40:70] *= 2.0**stops
    light[1][50:110, 140:170] *= 2.0**stops
    light = [p + rng.normal(0, 0.004, SIZE) for p in light]
    clipped = np.stack([np.zeros(SIZE, bool), light[1] >= 1])
    light[1] = np.minimum(light[1], 1)
    return light, ~clipped, clipped


def told_by(light: list[np.ndarray], shown: np.ndarray, clipped: np.ndarray, order: int = 1) -> np.ndarray:
    """How much of each frame counts where the first counts by itself; the second is given first where ``order`` is -1."""
    variance = np.full((2, *SIZE), 0.004**2, np.float32)
    worth = np.array([1, 4], np.float32)[::order]
    first = 0 if order == 1 else 1
    given = np.stack(light).astype(np.float32)[::order], variance, shown[::order], worth
    found = moved(*given, 7.4, {1: first, 2: first}, clipped=clipped[::order])
    return allowed(found, 2)[::order] * shown


@pytest.mark.parametrize("contrast", [1.5, 5.0])
def test_the_rim_of_somebody_dark_before_what_is_clipped_belongs_to_him(contrast: float) -> None:
    light, shown, clipped = before_a_window(-3.5, 1.0, contrast)
    counts = told_by(light, shown, clipped)
    assert shown[1, 50:110, 140:170].mean() > 0.99 and shown[1].mean() < 0.5
    assert counts[1, 50:110, 140:170].max() < 0.05, "to the last pixel"
    # what merely lies beside clipped places stays
    assert counts[1, :, 190:][shown[1, :, 190:]].mean() > 0.97


@pytest.mark.parametrize("order", [1, -1])
def test_somebody_bright_who_is_clipped_is_seen_by_what_another_frame_shows_there(order: int) -> None:
    light, shown, clipped = before_a_window(2.0, 0.25)
    counts = told_by(light, shown, clipped, order)
    inside = np.s_[1, 54:106, 144:166]
    assert clipped[inside].mean() > 0.5 and shown[inside].any()
    assert counts[inside].max() < 0.02
    assert counts[1, :, 190:][shown[1, :, 190:]].mean() > 0.97
