"""Raw files that do not tell their noise, of things that are textured from end to end to the last pixel: gravel, foliage. What is
measured there is mostly texture."""

import cv2
import numpy as np
import pytest

from tests.as_it_was.merges import SLOPE, laid, raw
from zincplate.merges.judge import Judgement, judge
from zincplate.merges.options import BracketOptions
from zincplate.merges.view import Opened, opened


def taken(evs: tuple[float, ...], smeared: int | None = None) -> list[Opened]:
    found = []
    for number, ev in enumerate(evs):
        light = laid(740 + 3 * number, 450, 0.1 * number)
        if number == smeared:
            light = np.stack([cv2.blur(p, (13, 1)) for p in light])
        found.append((f"TW-000{number}.dng", raw(light, number, ev, noise_told=False)))
    return opened(found)


def reasons(judged: Judgement) -> list[str]:
    return [f.reason for f in judged.figures]


@pytest.mark.parametrize("evs", [(-2.5, -0.5, 1.5), (-0.5, -3.5, 0.5), (-4.0, -2.0, 0.0, 1.0)])
def test_texture_that_was_taken_for_noise_makes_nothing_shaken(evs: tuple[float, ...]) -> None:
    """Dark frames were "shaken by 5 px", and nothing was left to merge."""
    frames = taken(evs)
    assert frames[0].noise[0][1] > 3 * SLOPE, "it is measured much too high"
    assert reasons(judge(frames, BracketOptions())) == [""] * len(evs)


@pytest.mark.parametrize("smeared", [0, 2])
def test_what_is_shaken_is_told_all_the_same(smeared: int) -> None:
    judged = judge(taken((-2.5, -0.5, 1.0), smeared), BracketOptions())
    assert [bool(r) for r in reasons(judged)] == [i == smeared for i in range(3)], reasons(judged)
    shake = judged.figures[smeared].shake
    assert shake is not None and 8 < shake.length_px < 18
