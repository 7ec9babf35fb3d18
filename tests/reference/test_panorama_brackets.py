"""Panoramas of brackets in one go: places told by their exposures, merged, laid on each other; against the scene that was
photographed, and against the panorama of single frames."""

import json
import os
import shutil
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from tests.reference.test_panorama import NO_LENSES, taken
from zincplate.cli.main import main
from zincplate.formats.decode import decode
from zincplate.formats.dng.master import made_from
from zincplate.merges.errors import MergeError
from zincplate.merges.kept import Kept
from zincplate.merges.kinds import look_at, merged
from zincplate.merges.panorama import brackets
from zincplate.merges.panorama.brackets import groups_of
from zincplate.merges.panorama.options import PanoramaOptions
from zincplate.merges.view import Opened, opened
from zincplate.sources.file import Source

STEPS = (0.0, -2.0, 2.0)
FLAT = PanoramaOptions(projection="flat")


def nobody(_: str) -> None:
    pass


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Two places of three exposures, from the hand; of the second only the darkest shows the brightest sky unclipped."""
    folder = tmp_path_factory.mktemp("brackets")
    for place, yaw in enumerate((-11.0, 8.0)):
        for k, ev in enumerate(STEPS):
            taken(folder, f"TW-09{place}{k}", yaw + 0.03 * k, 0.5 * place - 0.02 * k, ev=ev + 0.7)
    return folder


def frames_of(folder: Path) -> list[Opened]:
    return opened([(p.name, Source(decode(p))) for p in sorted(folder.glob("TW-*.dng"))])


@pytest.mark.parametrize(
    ("told", "groups"),
    [
        ([0, -2, 2, 0, -2, 2], [[0, 1, 2], [3, 4, 5]]),
        ([0.0, -1, 1.02, 0.05, -1, 1], [[0, 1, 2], [3, 4, 5]]),
        ([-2, 2, -2, 2, -2, 2, -2, 2], [[0, 1], [2, 3], [4, 5], [6, 7]]),
        # one that was left on the way
        ([0, -2, 2, 0, 2, 0, -2, 2, 0, -2, 2], [[0, 1, 2], [3, 4], [5, 6, 7], [8, 9, 10]]),
        ([0, -2, 2, 0, 2, 0, -2, 2], [[0, 1, 2], [3, 4], [5, 6, 7]]),
        ([0, -2, 2, 0, -2], None),  # of two places nobody knows
        ([0, -2, 0, -2, 0, -0.5], None),
        ([0] * 7, None),
        ([0, 0, 0, -1, 0, 0, 0], None),  # one metered differently
        ([0, 0.3, 0.6, 0.3, 0, 0.3, 0.6], None),  # exposures that follow the light
        ([0, -2, 2], None),
        ([0, -2, 2, None, -2, 2], None),
    ],
)
def test_places_are_told_by_exposures_that_come_again(told: list[float | None], groups: list[list[int]] | None) -> None:
    assert groups_of(told) == groups


def test_it_is_made_in_one_go_and_shows_what_no_single_frame_does(folder: Path, tmp_path: Path) -> None:
    frames = frames_of(folder)
    made = merged(frames, FLAT, NO_LENSES, "test", [{"name": f.name} for f in frames])
    report = made.report
    assert report["done"][0] == "6 frames are 2 places with 3 exposures each, merged first."
    assert report["done"][1].startswith("2 of 2 places take part")
    assert [row["name"] for row in report["frames"]] == [f.name for f in frames]
    assert all(row["takes_part"] and not row["reason"] for row in report["frames"]) and report["left_out"] == []
    light = [row["exposure_ev"] for row in report["frames"]]
    assert light == pytest.approx([light[0], light[0] - 2, light[0] + 2] * 2, abs=0.03)
    assert frames[made.reference].name in ("TW-0900.dng", "TW-0910.dng", "TW-0901.dng", "TW-0911.dng")
    assert [row["reference"] for row in report["frames"]].index(True) == made.reference
    path = tmp_path / "wide.dng"
    path.write_bytes(made.dng)
    told = made_from(path)
    assert told is not None and told["options"] == FLAT.model_dump(mode="json") and len(told["sources"]) == 6
    assert told["report"]["frames"] == json.loads(json.dumps(report["frames"]))
    # the same view from the middle exposures alone: as bright, highlights blown
    middle = [frames[0], frames[3]]
    single = merged(middle, FLAT, NO_LENSES, "test", [])
    single_path = tmp_path / "single.dng"
    single_path.write_bytes(single.dng)
    wide, plain = (Source(decode(p)) for p in (path, single_path))
    assert abs(wide.width - plain.width) < 8 and abs(wide.height - plain.height) < 8
    all_a, all_b = (s.window(60, 60, 900, 450) * np.float32(2.0**s.camera.baseline_exposure_ev) for s in (wide, plain))  # type: ignore[union-attr]
    a, b = all_a[1], all_b[1]
    dark = (b > np.quantile(b, 0.02)) & (b < np.quantile(b, 0.15))
    ratios = [float(np.median(p[dark] / q[dark])) for p, q in zip(all_a, all_b, strict=True)]
    assert ratios == pytest.approx([1.0] * 3, abs=0.02), "in every colour"
    # the brightest is what the darkest exposures say; the middle ones can but guess
    darkest = merged([frames[1], frames[4]], FLAT, NO_LENSES, "test", [])
    single_path.write_bytes(darkest.dng)
    source = Source(decode(single_path))
    true = source.window(60, 60, 900, 450)[1] * np.float32(4 * 2.0**source.camera.baseline_exposure_ev)  # type: ignore[union-attr]
    bright = [float(np.quantile(p, 0.98)) for p in (a, b, true)]
    assert bright[2] > 1.2 and bright[0] == pytest.approx(bright[2], rel=0.005) and abs(bright[1] / bright[2] - 1) > 0.015

    # and calmer where it is dark than those are: longer exposures count there
    def noise(planes: np.ndarray) -> float:
        second = planes[:, 2:] - 2 * planes[:, 1:-1] + planes[:, :-2]
        return float(np.quantile(np.abs(second[dark[:, 1:-1]]) / np.maximum(planes[:, 1:-1][dark[:, 1:-1]], 1e-4), 0.1))

    assert noise(a) < 0.7 * noise(true)


def test_a_place_is_merged_once_for_all_looks_and_goes_with_the_master(
    folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    frames, kept = frames_of(folder), Kept()
    kept.folder = tmp_path
    judging, names = brackets.judge, []
    monkeypatch.setattr(brackets, "judge", lambda mine, *a: names.append(mine[0].name) or judging(mine, *a))
    look = look_at(frames, FLAT, NO_LENSES, nobody, kept, "k")
    assert names == ["TW-0900.dng", "TW-0910.dng"] and look.report["done"][0].startswith("6 frames are 2 places")
    assert look.picture.shape[1] > 600 and look.drawn["seams"]
    another = Kept()  # of another process
    another.folder = tmp_path
    again = look_at(frames, FLAT.model_copy(update={"projection": "cylinder"}), NO_LENSES, nobody, another, "k")
    assert len(names) == 2 and again.report["projection"] == "cylinder"
    assert again.report["frames"] == look.report["frames"]
    # without a frame only its place is merged again; what is broken is as well, and what killed processes left goes
    look_at(frames, FLAT.model_copy(update={"leave_out": (5,)}), NO_LENSES, nobody, another, "k")
    assert names[2:] == ["TW-0910.dng"]
    (places,) = tmp_path.glob("*.places")
    (places / "0-0-1-2.told").write_bytes(b"cut off")
    (places / "3-3-4-5").unlink()
    begun = tmp_path / f".x.places.{2**22 + 1}-ab.part"
    begun.mkdir()
    (begun / "0.planes").write_bytes(b"0")
    living = tmp_path / f".y.places.{os.getpid()}-ab.part"
    living.mkdir()
    broken = Kept()
    broken.folder = tmp_path
    made = merged(frames, FLAT, NO_LENSES, "test", [], kept=broken, key="k")
    assert names[3:] == ["TW-0900.dng", "TW-0910.dng"] and made.report["frames"] == look.report["frames"]
    assert {p.name for p in tmp_path.iterdir() if "places" in p.name} == {living.name}


@pytest.mark.parametrize("when", ["before it is opened", "while it is merged"])
def test_places_that_another_process_takes_away_are_merged_again(
    when: str, folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """As when a second tab makes the master of the same frames."""
    frames, kept, taken_away = frames_of(folder), Kept(), []
    kept.folder = tmp_path
    name = "_place" if when == "before it is opened" else "write_file"
    working = getattr(brackets, name)

    def late(*given: Any) -> Any:
        if not taken_away:
            (places,) = tmp_path.glob("*.places")
            shutil.rmtree(places)
            taken_away.append(places)
        return working(*given)

    monkeypatch.setattr(brackets, name, late)
    look = look_at(frames, FLAT, NO_LENSES, nobody, kept, "k")
    assert taken_away and look.report["done"][0].startswith("6 frames are 2 places")
    assert {p.suffix for p in taken_away[0].iterdir()} == {"", ".told"}


def test_frames_left_out_by_hand(folder: Path) -> None:
    frames = frames_of(folder)
    look = look_at(frames, FLAT.model_copy(update={"leave_out": (1, 3, 5)}), NO_LENSES, nobody, Kept(), "k")
    rows = look.report["frames"]
    assert [row["takes_part"] for row in rows] == [True, False, True, False, True, False]
    assert [row["reason"] for row in rows] == ["", "left out by hand"] * 3
    assert look.report["left_out"] == [f"{frames[i].name}: left out by hand." for i in (1, 3, 5)]
    with pytest.raises(MergeError, match="2 to 40 frames; these are 1"):
        look_at(frames, FLAT.model_copy(update={"leave_out": (3, 4, 5)}), NO_LENSES, nobody, Kept(), "k")


def test_a_place_without_its_darkest_frame_is_evened_by_what_it_stands_in(tmp_path: Path) -> None:
    """Nothing is clipped here, so a brighter frame counts for place and colour than that whose light the values stand in."""
    for place, yaw in enumerate((-11.0, 8.0)):
        for k, ev in enumerate(STEPS):
            taken(tmp_path, f"TW-09{place}{k}", yaw, ev=ev - 2.5)
    frames = frames_of(tmp_path)
    look = look_at(frames, FLAT.model_copy(update={"leave_out": (4,)}), NO_LENSES, nobody, Kept(), "k")
    rows = look.report["frames"]
    assert not any("its data say" in sentence for sentence in look.report["done"])
    light = [row["exposure_ev"] for i, row in enumerate(rows) if i != 4]
    assert [v - light[0] for v in light] == pytest.approx([0, -2, 2, 0, 2], abs=0.03)
    reference = [row["reference"] for row in rows].index(True)
    assert STEPS[reference % 3] > -2


def test_switched_off_they_are_frames_like_any(folder: Path) -> None:
    frames = frames_of(folder)
    look = look_at(frames, FLAT.model_copy(update={"brackets": False}), NO_LENSES, nobody, Kept(), "k")
    assert "6 of 6 frames take part" in look.report["done"][0]


def test_a_place_that_does_not_hold_together_is_named(folder: Path, tmp_path: Path) -> None:
    frames = frames_of(folder)
    hall = opened([taken(tmp_path, "TW-0911", 0, scene="kiln_hall")])[0]
    stranger = replace(hall, light_ev=frames[4].told_ev)
    with pytest.raises(MergeError, match=r"TW-0910\.dng to TW-0911\.dng: Nothing is left to merge"):
        look_at([*frames[:2], frames[3], stranger], FLAT, NO_LENSES, nobody, Kept(), "k")


def test_a_full_disk_is_said_and_nothing_stays(folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(*_: object, **__: object) -> None:
        raise OSError(28, "No space left on device")

    kept = Kept()
    kept.folder = tmp_path
    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(MergeError, match=r"The merged places could not be kept: No space left on device\."):
        look_at(frames_of(folder), FLAT, NO_LENSES, nobody, kept, "k")
    assert list(tmp_path.iterdir()) == []


def test_from_the_command_line(folder: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    files = [str(p) for p in sorted(folder.glob("TW-*.dng"))]
    out, report = tmp_path / "wide.dng", tmp_path / "report.json"
    command = ["merge", "panorama", *files, "-o", str(out), "--report", str(report), "--set", "leave_out=TW-0902"]
    assert main(command) == 0
    said = capsys.readouterr().out
    assert "6 frames are 2 places with 3 exposures each, merged first." in said
    assert "Left out: TW-0902.dng: left out by hand." in said
    assert [f["takes_part"] for f in json.loads(report.read_text())["frames"]] == [True, True, False, True, True, True]
