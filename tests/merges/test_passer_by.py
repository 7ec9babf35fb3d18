"""Brackets from the hand through which somebody walks who is much darker, or brighter, than what is behind him: where the frames
lie, and what of him is left."""

import cv2
import numpy as np
import pytest

from tests.as_it_was.merges import H, W, laid, raw
from zincplate.formats.lens_profiles import LensDatabase
from zincplate.merges.bracket import strips
from zincplate.merges.judge import Judgement, judge
from zincplate.merges.kept import Kept
from zincplate.merges.kinds import look_at
from zincplate.merges.options import BracketOptions
from zincplate.merges.view import Opened, opened

Step = tuple[float, float, float]
"""Pixels across and down, and degrees, from each frame to the next."""


def taken(evs: list[float], share: float, step: Step, walks_px: int) -> list[Opened]:
    found = []
    for number, ev in enumerate(evs):
        light = laid(740 + step[0] * number, 450 + step[1] * number, step[2] * number)
        left = 200 + walks_px * (number - 1)
        light[:, 100:250, left : left + 50] *= share
        found.append((f"TW-000{number}.dng", raw(light, number, ev)))
    return opened(found)


def to_world(step: Step, number: int) -> np.ndarray:
    c, s = np.cos(np.radians(step[2] * number)), np.sin(np.radians(step[2] * number))
    x, y = 740 + step[0] * number, 450 + step[1] * number
    return np.array([[c, -s, x - c * W / 2 + s * H / 2], [s, c, y - s * W / 2 - c * H / 2], [0, 0, 1]])


def apart(judged: Judgement, step: Step) -> float:
    """How far any corner of a frame that takes part lies from where it should."""
    corners = np.array([[0, W - 1, 0, W - 1], [0, 0, H - 1, H - 1], [1, 1, 1, 1.0]])
    far = 0.0
    for number in judged.members:
        truth = (np.linalg.inv(to_world(step, number)) @ to_world(step, judged.reference) @ corners)[:2]
        far = max(far, float(np.abs(np.array(judged.placements[number].at(corners[0], corners[1])) - truth).max()))
    return far


@pytest.mark.parametrize("share", [0.03, 0.12, 0.3, 3.0, 8.0])
@pytest.mark.parametrize(
    ("evs", "step"),
    [
        ([-2.5, -0.5, 1.5], (0.0, 0.0, 0.0)),
        ([-2.5, -0.5, 1.5], (5.3, -3.1, 0.3)),
        ([0.5, -1.5, -3.5, -5.5], (-4.0, 6.0, -0.4)),
        ([-0.5, 0.8], (2.0, 1.0, 0.1)),
    ],
)
def test_frames_lie_where_they_were_taken(evs: list[float], step: Step, share: float) -> None:
    """Correlated as they are, still frames came to lie 4 pixels aside, and brackets were refused as shaken or as of another
    subject."""
    judged = judge(taken(evs, share, step, 90), BracketOptions())
    assert judged.members == list(range(len(evs))), [f.reason for f in judged.figures]
    assert apart(judged, step) < 0.6


@pytest.mark.parametrize("share", [0.12, 3.0])
def test_nothing_of_him_is_left_but_where_he_stays_whole(share: float) -> None:
    """His outline stood in the master where the bright frame is clipped about him, and parts of him where he is."""
    step = (5.3, -3.1, 0.3)
    frames = taken([-2.0, -0.3, 1.4], share, step, 110)
    judged = judge(frames, BracketOptions())
    made = np.concatenate([strip.camera_values for strip in strips(frames, judged)], 1)
    truth = laid(740 + step[0] * judged.reference, 450 + step[1] * judged.reference, step[2] * judged.reference)
    light, truth = (cv2.GaussianBlur(p, (0, 0), 1.2) for p in (made[1], truth[1]))
    off = np.abs(np.log2(np.maximum(light, 1e-4) / np.maximum(truth, 1e-4) * np.median(truth) / np.median(light))) > 0.35
    off[:12], off[-12:], off[:, :12], off[:, -12:] = False, False, False, False
    whole = cv2.dilate(cv2.erode(off.astype(np.uint8), np.ones((9, 9))), np.ones((15, 15))) > 0
    assert (off & ~whole).sum() < 20


@pytest.mark.parametrize(
    ("step", "told"),
    [(0.0, "They lie on each other as they were taken."), (0.45, "Moved by up to 0.5 px")],
    ids=["still", "moved"],
)
def test_a_movement_of_half_a_pixel_is_told(step: float, told: str) -> None:
    """Half a pixel softens a merge; below a tenth nothing is moved that shows."""
    frames = taken([-0.5, 0.8], 1.0, (step, 0.0, 0.0), 0)
    look = look_at(frames, BracketOptions(), LensDatabase(), lambda _: None, Kept(), "moved")
    assert any(sentence.startswith(told) for sentence in look.report["done"]), look.report["done"]
