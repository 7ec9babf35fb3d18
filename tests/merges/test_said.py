"""What a series says it did."""

import re

from tests.as_it_was.merges import frames, series
from zincplate.formats.lens_profiles import LensDatabase
from zincplate.merges.kept import Kept
from zincplate.merges.kinds import look_at
from zincplate.merges.series.options import SeriesOptions


def test_how_far_frames_were_moved_how_much_noise_is_left() -> None:
    done = look_at(frames(series), SeriesOptions(), LensDatabase(), lambda _: None, Kept(), "said").report["done"]
    assert done[0].startswith("6 of 6 frames are combined")
    moved = re.match(r"Laid on each other .*: moved by up to ([\d.]+) px, within ([\d.]+) px\.", done[1])
    # 3 px from one to the next; the reference is one of them
    assert moved and 8.5 < float(moved[1]) < 15.5 and float(moved[2]) < 0.3, done
    assert "Noise is about 2.4 times less than one frame's." in done


def test_frames_that_did_not_move_say_so() -> None:
    still = SeriesOptions(align="none")
    done = look_at(frames(series)[:3], still, LensDatabase(), lambda _: None, Kept(), "still").report["done"]
    assert done[1] == "They lie on each other as they were taken."
