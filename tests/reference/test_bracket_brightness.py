"""How bright a bracket's master is shown: as the exposure that was metered, not as whichever frame became the reference."""

from dataclasses import replace
from pathlib import Path

import pytest

from tests.reference.test_bracket import BASE, opened
from zincplate.formats.decode import decode
from zincplate.merges.judge import judge, metered_ev
from zincplate.merges.master import merge_bracket
from zincplate.merges.options import BracketOptions
from zincplate.merges.view import Opened


def bracket(folder: Path, stops: tuple[float, ...], bias: tuple[float | None, ...] | None = None) -> list[Opened]:
    frames = []
    for i, ev in enumerate(stops):
        settings = replace(BASE, exposure_time_s=0.025 * 2.0**ev, seed=50 + i)
        frame = opened(folder, f"e{i}", settings, "loading_door")
        if bias is not None:
            frame.source.capture = replace(frame.source.capture, bias_ev=bias[i])
        frames.append(frame)
    return frames


def shown_ev(frames: list[Opened], options: BracketOptions, folder: Path) -> float:
    """The master's brightness, in stops of the frames' own scale: that of the first is 0."""
    judged = judge(frames, options)
    path = folder / "master.dng"
    path.write_bytes(merge_bracket(frames, judged, options, "Test", []).dng)
    camera = decode(path).camera
    assert camera is not None
    darkest = min(frames[i].told_ev or 0.0 for i in judged.members)
    return camera.baseline_exposure_ev + darkest - (frames[0].told_ev or 0.0)


def test_by_the_frame_without_compensation(tmp_path: Path) -> None:
    frames = bracket(tmp_path, (0, -2, 2), (0.0, -2.0, 2.0))
    assert shown_ev(frames, BracketOptions(), tmp_path) == pytest.approx(0, abs=0.03)
    frames = bracket(tmp_path, (0, 2, 4), (0.0, 2.0, 4.0))
    assert shown_ev(frames, BracketOptions(), tmp_path) == pytest.approx(0, abs=0.03)
    assert shown_ev(frames, BracketOptions(leave_out=(0,)), tmp_path) == pytest.approx(2, abs=1.01), "it does not take part"
    # one that is told counts for its brightness, too
    for reference, ev in ((0, 0.0), (1, 2.0)):
        assert shown_ev(frames, BracketOptions(reference=reference), tmp_path) == pytest.approx(ev, abs=0.03)


@pytest.mark.parametrize(
    ("stops", "bias", "found"),
    [
        ((0, -2, 2), (0.0, -2.0, 2.0), 0.0),
        ((0, -2, 2), (0.0, -1.7, 2.3), 0.0),
        ((0, -2, 2), (1.0, -1.0, 3.0), None),  # metered a stop over: no frame is without
        ((0, -2, 2), (0.0, 0.0, 0.0), None),
        ((0, -2, 2), (0.0, -2.0, None), None),
        ((0, -2, 2), (0.0, 2.0, -2.0), None),  # it tells something else than what was exposed
        ((0, -0.5, 0.5), (0.0, -0.2, 0.2), None),
    ],
)
def test_what_compensation_tells(
    stops: tuple[float, ...], bias: tuple[float | None, ...], found: float | None, tmp_path: Path
) -> None:
    frames = bracket(tmp_path, stops, bias)
    metered = metered_ev(frames, judge(frames, BracketOptions(reference=0, align=False, ghosts=0)))
    assert (metered is None) == (found is None)
    if metered is not None:
        assert metered == pytest.approx(found, abs=0.02)


def test_without_it_by_the_frames_that_show_most(tmp_path: Path) -> None:
    # of a subject that all of them show, the middle one
    even = bracket(tmp_path, (2.0, 1.0, 3.0))
    judged = judge(even, BracketOptions())
    assert judged.shown_ev + (even[judged.reference].told_ev or 0) == pytest.approx(even[0].told_ev or 0, abs=0.03)
    # of one that was taken for its highlights, not the middle of all
    frames = [
        opened(tmp_path, f"h{i}", replace(BASE, exposure_time_s=0.4 * 2.0**ev, seed=70 + i), "kiln_hall")
        for i, ev in enumerate((0, -2, -4, -6))
    ]
    judged = judge(frames, BracketOptions())
    told = judged.shown_ev + (frames[judged.reference].told_ev or 0) - (frames[0].told_ev or 0)
    assert told > -1.5
