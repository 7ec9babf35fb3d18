"""``./zincplate merge``: a master from files, without a database."""

import errno
import json
import os
from pathlib import Path

import cv2
import numpy as np
import pytest

from tests.conftest import small_dng
from zincplate.cli.main import main
from zincplate.formats.dng.master import made_from


@pytest.fixture
def files(tmp_path: Path) -> list[str]:
    names = []
    for i, ev in enumerate((-2.0, 0.0, 2.0)):
        path = tmp_path / f"TW-081{i}.dng"
        path.write_bytes(small_dng(seed=30 + i, meter_ev=ev))
        names.append(str(path))
    return names


def test_a_bracket(files: list[str], tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    out, report = tmp_path / "master.dng", tmp_path / "report.json"
    command = ["merge", "bracket", *files, "-o", str(out), "--report", str(report)]
    assert main([*command, "--set", "reference=TW-0811", "--set", "ghosts=0", "--set", "leave_out=TW-0812.dng"]) == 0
    said = capsys.readouterr().out
    assert "2 of 3 frames take part; TW-0811.dng is the reference." in said and "TW-0812.dng: left out by hand." in said
    told = json.loads(report.read_text())
    assert [f["takes_part"] for f in told["frames"]] == [True, True, False] and told["regions"] == []
    kept = made_from(out)
    assert kept is not None and kept["options"]["leave_out"] == [2] and len(kept["sources"][0]["sha256"]) == 64
    developed = tmp_path / "master.jpg"
    assert main(["develop", str(out), "-o", str(developed), "--set", "tone.exposure_ev=-1"]) == 0 and developed.is_file()
    assert main(command) == 1 and "already there" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("more", "code", "words"),
    [
        (["--set", "sparkle=1"], 2, "no such option"),
        (["--set", "ghosts"], 2, "option=value"),
        (["--set", "ghosts=900"], 2, "ghosts"),
        (["--set", "reference=TW-0999"], 2, "none of the frames"),
        (["--set", "leave_out=TW-0810,TW-0811"], 1, "Nothing is left to merge"),
    ],
)
def test_what_cannot_be_is_said(
    files: list[str], tmp_path: Path, capsys: pytest.CaptureFixture[str], more: list[str], code: int, words: str
) -> None:
    out = tmp_path / "master.dng"
    assert main(["merge", "bracket", *files, "-o", str(out), *more]) == code
    assert words in capsys.readouterr().err and not out.exists()


def test_one_file_and_a_folder_that_is_not_there(files: list[str], tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["merge", "bracket", files[0], "-o", str(tmp_path / "master.dng")]) == 1
    assert "2 to 9 frames; these are 1" in capsys.readouterr().err
    assert main(["merge", "bracket", *files, "-o", str(tmp_path / "nowhere" / "master.dng")]) == 1
    assert "no such folder" in capsys.readouterr().err
    (tmp_path / "words.dng").write_text("no picture" * 30)
    assert main(["merge", "bracket", files[0], str(tmp_path / "words.dng"), "-o", str(tmp_path / "master.dng")]) == 1
    assert "words.dng" in capsys.readouterr().err


def test_the_other_kinds(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    from astropy.io import fits

    from tests.reference.test_panorama import taken
    from tests.reference.test_series import small

    view = [str(tmp_path / taken(tmp_path, f"v{i}", yaw)[0]) for i, yaw in enumerate((-12, 8))]
    assert main(["merge", "panorama", *view, "-o", str(tmp_path / "wide.dng"), "--set", "projection=cylinder"]) == 0
    assert "on a cylinder" in capsys.readouterr().out
    frames = [str(tmp_path / small(tmp_path, f"s{i}", i + 1)[0]) for i in range(3)]
    dark = str(tmp_path / small(tmp_path, "dark", 9, capped=True)[0])
    assert main(["merge", "focus", *frames, "-o", str(tmp_path / "deep.dng")]) == 0
    assert "3 of 3 frames take part" in capsys.readouterr().out
    assert main(["merge", "series", *frames, "--dark", dark, "-o", str(tmp_path / "calm.fits")]) == 0
    assert "Calibrated by 1 dark." in capsys.readouterr().out
    assert main(["merge", "series", *frames, "--dark", dark, "-o", str(tmp_path / "calm.dng")]) == 0
    with fits.open(tmp_path / "calm.fits") as file:
        planes, header = file[0].data, file[0].header
    assert planes.shape == (3, 320, 480) and header["ROWORDER"] == "TOP-DOWN" and "3 of 3 frames" in str(header["HISTORY"])
    # all files say the same, each in its own terms
    from zincplate.formats.decode import decode
    from zincplate.recipe.document import Recipe
    from zincplate.sources.file import Source

    assert main(["merge", "series", *frames, "--dark", dark, "-o", str(tmp_path / "calm.exr")]) == 0
    master, exr = Source(decode(tmp_path / "calm.dng")), Source(decode(tmp_path / "calm.exr"))
    assert master.camera is not None
    plates = master.window(0, 0, 480, 320)
    gain = 2.0**master.camera.baseline_exposure_ev
    np.testing.assert_allclose(planes, plates * np.reshape(master.as_shot_neutral, (3, 1, 1)) * gain, rtol=1e-5)
    linear = np.einsum("ij,jhw->ihw", master.to_rec2020(Recipe.neutral(True)), plates)
    read = np.einsum("ij,jhw->ihw", np.reshape(exr.to_working, (3, 3)), exr.window(0, 0, 480, 320))
    np.testing.assert_allclose(read, linear, rtol=2e-3, atol=2e-4)
    capsys.readouterr()
    assert main(["merge", "focus", *frames, "-o", str(tmp_path / "x.tif")]) == 2
    assert "written as .dng, .exr, .fits" in capsys.readouterr().err
    assert main(["merge", "focus", *frames, "--dark", dark, "-o", str(tmp_path / "x.dng")]) == 2
    assert "Only a series is calibrated" in capsys.readouterr().err
    assert main(["merge", "focus", *frames, "-o", str(tmp_path / "x.fits")]) == 2
    assert "Only a series can be written as FITS" in capsys.readouterr().err
    assert main(["merge", "panorama", *frames, *["-o", str(tmp_path / "x.dng")], "--set", "kind=bracket"]) == 2
    assert "no such option" in capsys.readouterr().err


def test_a_full_disk_at_the_end_is_said_and_nothing_stays(
    files: list[str], tmp_path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    out, report = tmp_path / "out" / "master.dng", tmp_path / "out" / "report.json"
    out.parent.mkdir()
    written = os.fsync

    def full(file: int) -> None:
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    monkeypatch.setattr(os, "fsync", full)
    for suffix in (".dng", ".exr"):
        assert main(["merge", "bracket", *files, "-o", str(out.with_suffix(suffix))]) == 1
        said = capsys.readouterr().err
        assert f"master{suffix}: The disk is full" in said and "Traceback" not in said and not list(out.parent.iterdir())
    # the master may fit where its report does not
    monkeypatch.setattr(
        os, "fsync", lambda file: written(file) if Path(f"/proc/self/fd/{file}").stat().st_size > 9999 else full(file)
    )
    assert main(["merge", "bracket", *files, "-o", str(out), "--report", str(report)]) == 1
    assert "report.json: The disk is full" in capsys.readouterr().err and list(out.parent.iterdir()) == [out]


def test_a_report_for_a_folder_that_is_not_there_is_refused_before_the_work(
    files: list[str], tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    out = tmp_path / "master.dng"
    assert main(["merge", "bracket", *files, "-o", str(out), "--report", str(tmp_path / "nowhere" / "r.json")]) == 1
    assert "There is no such folder" in capsys.readouterr().err and not out.exists()


def test_the_frame_that_a_sentence_is_about_is_named_once(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    paths = [tmp_path / f"TW-000{i}.png" for i in range(3)]
    for path, width in zip(paths, (40, 40, 44), strict=True):
        simple = np.full((20, width, 3), 90, np.uint8)
        assert cv2.imwrite(str(path), simple)
    assert main(["merge", "series", *map(str, paths), "-o", str(tmp_path / "master.dng")]) == 1
    said = capsys.readouterr().err.strip()
    assert said.startswith("TW-0002.png: It has another size than TW-0000.png: 44 x 20") and said.count("TW-0002.png") == 1
