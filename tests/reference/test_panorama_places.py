"""Places of a panorama that were taken in other ways: one whole turn for each exposure, there and back; as finished pictures."""

from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest

from tests.reference.test_finished_bracket import curve
from tests.reference.test_panorama import NO_LENSES, taken
from zincplate.formats.decode import decode
from zincplate.merges.errors import MergeError
from zincplate.merges.kept import Kept
from zincplate.merges.kinds import look_at, merged
from zincplate.merges.panorama.options import PanoramaOptions
from zincplate.merges.panorama.rounds import groups_in_rounds, places_of_a_round
from zincplate.merges.view import Opened, opened
from zincplate.sources.file import Source

FLAT = PanoramaOptions(projection="flat")
YAWS = (-18.0, 0.0, 18.0)
STEPS = (0.0, -2.0, 2.0)


def nobody(_: str) -> None:
    pass


@pytest.mark.parametrize(
    ("told", "count"),
    [
        ([0, 0, 0, -2, -2, -2, 2, 2, 2], 3),
        ([0, 0.1, 0, -2, -2.1, -2], 3),
        ([0, 0, -2, -2], 2),
        ([0, 0, 0, -2, -2, 2, 2, 2], None),  # one is missing: of which place nobody knows
        ([0, 0, 0, -2, -2, -2, 0, 0, 0], None),  # the first again
        ([0, 0, 0, -0.5, -0.5, -0.5], None),
        ([0, -2, 2], None),
        ([0] * 6, None),
        ([0, 0, None, -2, -2, -2], None),
    ],
)
def test_turns_are_told_by_runs_of_equal_exposures(told: list[float | None], count: int | None) -> None:
    assert places_of_a_round(told) == count


@pytest.fixture(scope="module")
def turns(tmp_path_factory: pytest.TempPathFactory) -> dict[tuple[int, int], Opened]:
    """Three places at three exposures, from the hand, by place and exposure."""
    folder = tmp_path_factory.mktemp("turns")
    keys = [(p, k) for k in range(3) for p in range(3)]
    made = [taken(folder, f"TW-09{p}{k}", YAWS[p] + 0.04 * k, 0.03 * k, ev=STEPS[k]) for p, k in keys]
    return dict(zip(keys, opened(made), strict=True))


def test_one_turn_for_each_exposure_there_and_back(turns: dict[tuple[int, int], Opened]) -> None:
    # the second turn goes back, the third goes there again
    order = [(0, 0), (1, 0), (2, 0), (2, 1), (1, 1), (0, 1), (0, 2), (1, 2), (2, 2)]
    frames = [turns[key] for key in order]
    assert groups_in_rounds(frames, nobody) == [[0, 5, 6], [1, 4, 7], [2, 3, 8]]
    look = look_at(frames, FLAT, NO_LENSES, nobody, Kept(), "turns")
    assert look.report["done"][0] == "9 frames are 3 places with 3 exposures each, merged first."
    assert all(row["takes_part"] for row in look.report["frames"])
    light = [row["exposure_ev"] for row in look.report["frames"]]
    assert [v - light[0] for v in light] == pytest.approx([0, 0, 0, -2, -2, -2, 2, 2, 2], abs=0.04)


def test_exposures_that_followed_the_light_are_no_turns(tmp_path: Path) -> None:
    """Six places, the first three darker: they show other things."""
    made = [taken(tmp_path, f"TW-09{k}0", -25 + 10 * k, ev=-1.5 if k < 3 else 0.0) for k in range(6)]
    frames = opened(made)
    assert places_of_a_round([f.told_ev for f in frames]) == 3 and groups_in_rounds(frames, nobody) is None
    look = look_at(frames, FLAT, NO_LENSES, nobody, Kept(), "light")
    assert look.report["done"][0].startswith("6 of 6 frames take part")


def finished(folder: Path, frame: Opened, ev: float) -> Opened:
    """What a camera's own picture style makes of a raw: 8 bits and a curve that nobody tells."""
    light = frame.source.window(0, 0, frame.source.width, frame.source.height).astype(np.float64).transpose(1, 2, 0)
    path = folder / f"{Path(frame.name).stem}.png"
    cv2.imwrite(str(path), np.rint(curve(light)).clip(0, 255).astype(np.uint8)[..., ::-1])
    source = Source(decode(path))
    source.capture = replace(frame.source.capture, exposure_time_s=2.0**ev / 250, f_number=8.0, iso=200)
    return opened([(path.name, source)])[0]


def test_places_of_finished_pictures(turns: dict[tuple[int, int], Opened], tmp_path: Path) -> None:
    raws = [turns[p, k] for p in (0, 1) for k in range(3)]
    frames = [finished(tmp_path, f, STEPS[i % 3]) for i, f in enumerate(raws)]
    kept = Kept()
    kept.folder = tmp_path / "kept"
    look = look_at(frames, FLAT, NO_LENSES, nobody, kept, "finished")
    assert "6 frames are 2 places with 3 exposures each, merged first. What light" in look.report["done"][0]
    made = merged(frames, FLAT, NO_LENSES, "test", [], kept=kept, key="finished")
    of_raws = merged(raws, FLAT, NO_LENSES, "test", [])
    pictures = []
    for name, data in (("finished", made.dng), ("raws", of_raws.dng)):
        path = tmp_path / f"{name}.dng"
        path.write_bytes(data)
        source = Source(decode(path))
        pictures.append(source.window(40, 40, 900, 480)[1] * np.float32(2.0**source.camera.baseline_exposure_ev))  # type: ignore[union-attr]
    # the same light, over the stops between, but for a curve found by 8 bits and a pixel or two of place
    small = [cv2.resize(p, None, fx=0.05, fy=0.05, interpolation=cv2.INTER_AREA) for p in pictures]
    ratio = np.log2(small[0] / small[1])
    assert float(np.median(np.abs(ratio - np.median(ratio)))) < 0.06
    # of one place a single frame is left: it is as linear as the others
    one = look_at(frames, FLAT.model_copy(update={"leave_out": (1, 2)}), NO_LENSES, nobody, kept, "finished")
    rows = one.report["frames"]
    assert [row["takes_part"] for row in rows] == [True, False, False, True, True, True]
    assert abs(rows[0]["exposure_ev"] - rows[3]["exposure_ev"]) < 0.05


def test_finished_pictures_without_their_exposures_are_a_panorama_of_frames(
    turns: dict[tuple[int, int], Opened], tmp_path: Path
) -> None:
    frames = [finished(tmp_path, turns[p, 0], 0.0) for p in range(3)]
    for frame in frames:
        frame.source.capture = replace(frame.source.capture, exposure_time_s=0.0)
    look = look_at(frames, FLAT, NO_LENSES, nobody, Kept(), "untold")
    assert look.report["done"][0].startswith("3 of 3 frames take part")


def test_what_no_response_can_be_found_of_is_said(turns: dict[tuple[int, int], Opened], tmp_path: Path) -> None:
    frames = [finished(tmp_path, turns[p, k], STEPS[k]) for p in (0, 1) for k in range(2)]
    grey = np.full((640, 960, 3), 127, np.uint8)
    for frame in frames:
        cv2.imwrite(str(tmp_path / frame.name), grey)
    even = []
    for frame in frames:
        source = Source(decode(tmp_path / frame.name))
        source.capture = frame.source.capture
        even.append((frame.name, source))
    with pytest.raises(MergeError, match="light their codes stand for"):
        look_at(opened(even), FLAT, NO_LENSES, nobody, Kept(), "even")
