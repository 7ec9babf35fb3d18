"""Noise of brackets: what is said of it place by place, and its reduction, against merges that differ by their noise alone."""

from dataclasses import replace
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest
from numpy.typing import NDArray

from tests.reference.test_bracket import BASE, CAMERA, flat, opened
from tests.reference.test_noise import encoded, psnr, scene
from zincplate.core.merging.radiance import add_up
from zincplate.demo.camera import expose
from zincplate.demo.lens import ZOOM
from zincplate.demo.scenes import load
from zincplate.merges import bracket
from zincplate.merges.bracket import _calmed, _Sum, strips
from zincplate.merges.judge import Judgement, judge
from zincplate.merges.master import merge_bracket
from zincplate.merges.options import BracketOptions
from zincplate.merges.view import Opened

Float32 = NDArray[np.float32]
TIMES_S = (1 / 160, 1 / 40, 1 / 10)


def test_the_variance_of_a_sum_is_known_where_frames_count_in_part() -> None:
    """Light with drawn noise, 400 times; some places are seen by one frame, by two in part, by none."""
    rng, n = np.random.default_rng(3), 400
    exposure, slope, offset = (
        np.array([1, 4, 0.25], np.float32),
        np.full((3, 3), 1e-3, np.float32),
        np.full((3, 3), 1e-5, np.float32),
    )
    light = 0.15
    trust = np.ones((3, n, 4), np.float32)
    trust[1:, :, 1] = 0
    trust[1, :, 2] = 0.4
    trust[:, :, 3] = 0
    mean = light * exposure[:, None, None, None]
    values = (mean + rng.standard_normal((3, 3, n, 4)) * np.sqrt(1e-3 * mean + 1e-5)).astype(np.float32)
    out, variance, clipped = np.empty((3, n, 4), np.float32), np.empty((n, 4), np.float32), np.empty((n, 4), np.uint8)
    add_up(values, trust, exposure, slope, offset, np.array([2, 0, 1]), np.ones(3, np.float32), out, variance, clipped)
    assert clipped[:, 3].all() and not clipped[:, :3].any()
    # the spread of 400 is known to 1 / sqrt(2 * 400)
    assert np.sqrt(variance.mean(0)) == pytest.approx(out[1].std(0), rel=0.12)
    alone = [(1e-3 * light * t + 1e-5) / t**2 for t in (1.0, 4.0, 0.25)]
    assert variance[:, 1].mean() == pytest.approx(alone[0], rel=0.01) and variance[:, 3].mean() == pytest.approx(
        alone[2], rel=0.02
    )
    assert variance[:, 0].mean() == pytest.approx(1 / sum(1 / v for v in alone), rel=0.01)


@pytest.fixture(scope="module")
def brackets(tmp_path_factory: pytest.TempPathFactory) -> list[tuple[list[Opened], Judgement]]:
    """Six that differ by their noise alone."""
    folder, base, found = tmp_path_factory.mktemp("noisy"), replace(BASE, iso=1600), []
    for seed in range(7, 187, 30):
        frames = [
            opened(folder, f"{seed}{i}", replace(base, exposure_time_s=t, seed=seed + i), "loading_door")
            for i, t in enumerate(TIMES_S)
        ]
        judged = judge(frames, BracketOptions(reference=1, align=False, ghosts=0))
        judged.exposure = [0.25, 1.0, 4.0]  # as they are: measured ones differ by thousandths, which is no noise of places
        found.append((frames, judged))
    return found


def merged(brackets: Any, noise: float) -> Float32:
    """(n, 3, h, w) in units of the reference."""
    return np.stack([4 * np.concatenate([s.camera_values for s in strips(*one, noise=noise)], 1) for one in brackets])


def roots(values: Float32) -> Float32:
    return np.sqrt(np.maximum(values, 0) + np.float32(1e-3))


def spread(values: Float32, where: NDArray[np.bool_]) -> float:
    difference = (values[0::2] - values[1::2])[:, where].ravel()
    return float(np.subtract(*np.percentile(difference, (84, 16)))) / 2 / 2**0.5


def test_noise_is_reduced_by_what_is_known_of_it_and_light_is_kept(brackets: Any) -> None:
    plain, half, whole = (merged(brackets, noise) for noise in (0.0, 0.5, 1.0))
    signal = expose(
        load("loading_door"), CAMERA, ZOOM.at(28, 8), replace(BASE, iso=1600, exposure_time_s=TIMES_S[1])
    ).true_camera[1]
    calm = flat(signal)
    checked = 0
    for low in range(-7, -2):
        inside = calm & (signal > 2.0**low) & (signal <= 2.0 ** (low + 1))
        if inside.sum() < 3000:
            continue
        checked += 1
        found = [spread(roots(m[:, 1]), inside) for m in (plain, half, whole)]
        assert found[1] < 0.85 * found[0] and found[2] < 0.7 * found[0], (low, found)
        colour = [spread(roots(m[:, 0]) - roots(m[:, 1]), inside) for m in (plain, half)]
        assert colour[1] < 0.8 * colour[0], (low, colour)
    assert checked >= 3
    light = [float(m[:, 1][:, calm & (signal < 0.2)].mean()) for m in (plain, half, whole)]
    assert light[1:] == pytest.approx([light[0]] * 2, rel=3e-3)


def test_a_picture_of_uneven_noise_comes_nearer_to_itself() -> None:
    """A clean picture with drawn noise, on the right four times that of the left, as where one of many frames counts."""
    rng, clean = np.random.default_rng(2), scene(640, 480)
    slope, offset = 1.5e-3, 1e-5
    times = np.ones(clean.shape[1:], np.float32)
    times[:, 320:] = 16
    variance = (slope * clean + offset) * times
    noisy = (clean + rng.standard_normal(clean.shape) * np.sqrt(variance)).astype(np.float32)
    reference: Any = SimpleNamespace(noise=(np.full(3, slope), np.full(3, offset)), source=SimpleNamespace(mosaic=False))
    nothing = np.zeros(clean.shape[1:], np.uint8)

    def calm(told: Float32) -> list[float]:
        (found,) = _calmed(iter([_Sum(noisy, told, nothing)]), reference, 0.5, np.ones(3, np.float32))
        return [psnr(encoded(found.plates[:, :, part]), encoded(clean[:, :, part])) for part in (slice(0, 310), slice(330, 640))]

    before = [psnr(encoded(noisy[:, :, part]), encoded(clean[:, :, part])) for part in (slice(0, 310), slice(330, 640))]
    after, evenly = calm(variance[1]), calm(variance[1] / times * np.float32(4))
    assert after[0] > before[0] + 3.5 and after[1] > before[1] + 6, (before, after)
    assert after[0] > evenly[0] + 1 and after[1] > evenly[1] + 3, (evenly, after)


def test_noise_that_does_not_grow_with_the_signal_is_reduced_too() -> None:
    """A file may tell an offset alone."""
    rng, clean = np.random.default_rng(3), scene(320, 240)
    noisy = (clean + rng.standard_normal(clean.shape) * 0.02).astype(np.float32)
    reference: Any = SimpleNamespace(noise=(np.zeros(3), np.full(3, 4e-4)), source=SimpleNamespace(mosaic=False))
    told = np.full(clean.shape[1:], 4e-4, np.float32)
    (found,) = _calmed(iter([_Sum(noisy, told, np.zeros(clean.shape[1:], np.uint8))]), reference, 0.5, np.ones(3, np.float32))
    before, after = (float(np.square(p - clean).mean()) for p in (noisy, found.plates))
    assert after < 0.5 * before


def test_strips_meet(brackets: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    found = merged(brackets[:1], 0.5)
    monkeypatch.setattr(bracket, "ROWS", 2048)  # all in one
    whole = merged(brackets[:1], 0.5)
    assert np.abs(found - whole).max() < 1e-5


def test_where_one_frame_counts_it_is_calmed_more(brackets: Any) -> None:
    """As where something moved: there the noise is that of one frame, and would be seen beside the calm of all."""
    many, one = [], []
    for frames, judged in brackets:
        alone = replace(judged, members=[1], exposure=[0.25, 1.0, 4.0])
        for noise in (0.0, 0.5):
            many.append(np.concatenate([s.camera_values for s in strips(frames, judged, noise=noise)], 1)[1] * 4)
            one.append(np.concatenate([s.camera_values for s in strips(frames, alone, noise=noise)], 1)[1])
    level = np.mean(many, 0)
    inside = flat(level) & (level > 0.02) & (level < 0.1)
    plain = [spread(roots(np.stack(v[0::2])), inside) for v in (many, one)]
    calm = [spread(roots(np.stack(v[1::2])), inside) for v in (many, one)]
    assert plain[1] > 2 * plain[0] and calm[1] < 0.8 * plain[1] / plain[0] * calm[0], (plain, calm)


def test_the_master_tells_that_noise_was_reduced(brackets: Any) -> None:
    frames: list[Opened] = brackets[0][0]
    judged = brackets[0][1]
    for noise, said in ((50.0, True), (0.0, False)):
        report = merge_bracket(frames, judged, BracketOptions(noise=noise), "Test", []).report
        assert any("reduced, by 50 of 100" in words for words in report["done"]) == said
