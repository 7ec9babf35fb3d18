"""What the merge table tells and shows of a panorama: how sharp its frames are, and what it would be without its work."""

from pathlib import Path

from tests.reference.test_panorama import NO_LENSES, taken
from zincplate.demo.frames import FRAMES
from zincplate.merges.kept import Kept
from zincplate.merges.kinds import look_at
from zincplate.merges.panorama.judge import judge_panorama
from zincplate.merges.panorama.options import PanoramaOptions
from zincplate.merges.view import opened as opened_together


def test_of_frames_that_are_alike_none_is_called_less_sharp(tmp_path: Path) -> None:
    """A wide lens draws what lies near its edge larger, so bright clouds at the edge of one frame and in the middle of the next
    told of a blur that was not there when light itself was compared."""
    camera = next(f.camera for f in FRAMES if f.number == 40)
    frames = [taken(tmp_path, f"f{i}", yaw, ev=-1.5, camera=camera) for i, yaw in enumerate((-27, -9, 9))]
    judged = judge_panorama(opened_together(frames), PanoramaOptions(), NO_LENSES)
    assert min(f.sharpness for f in judged.figures) > 0.92


def test_before_they_are_laid_over_each_other_in_their_own_light(tmp_path: Path) -> None:
    frames = opened_together([taken(tmp_path, "one", -14), taken(tmp_path, "two", 8, ev=-1.0)])
    look = look_at(frames, PanoramaOptions(projection="flat"), NO_LENSES, lambda _: None, Kept(), "")
    assert look.before is not None and look.before.shape == look.picture.shape
    w = look.picture.shape[1]
    left, right = (slice(w // 10, w // 4), slice(-w // 4, -w // 10))
    reference = [row["reference"] for row in look.report["frames"]].index(True)
    own, other = (left, right) if reference == 0 else (right, left)
    own_apart, other_apart = (look.before[:, s].mean() - look.picture[:, s].mean() for s in (own, other))
    assert abs(own_apart) < 1.5 and (other_apart < -15 if reference == 0 else other_apart > 15)
