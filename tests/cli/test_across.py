"""``develop`` on many files, ``fit``, ``even``, ``preset``: without a database."""

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image

from tests.conftest import small_dng
from zincplate.cli.main import main


@pytest.fixture(scope="module")
def series(tmp_path_factory: pytest.TempPathFactory) -> list[Path]:
    """Six frames of one scene half a minute apart; the fourth lets 1.5 stops less in."""
    folder = tmp_path_factory.mktemp("series")
    paths = []
    for i in range(6):
        path = folder / f"TW-09{i:02d}.dng"
        taken = f"2026-05-12T07:{8 + i // 2:02d}:{30 * (i % 2):02d}"
        path.write_bytes(small_dng(seed=60 + i, meter_ev=-1.2 if i == 3 else 0.3, captured_at=taken))
        paths.append(path)
    return paths


def said(capsys: pytest.CaptureFixture[str], *command: Any) -> Any:
    assert main([str(part) for part in command]) == 0
    return json.loads(capsys.readouterr().out)


def test_fit_names_the_one_that_was_metered_otherwise(series: list[Path], capsys: pytest.CaptureFixture[str]) -> None:
    source, *frames = series
    rows = said(capsys, "fit", source, *frames, "--json")["frames"]
    assert [(r["name"], r["fits"]) for r in rows] == [(p.name, p != series[3]) for p in frames]
    odd = rows[2]
    assert odd["exposure_ev"] == pytest.approx(-1.5, abs=0.03) and abs(odd["mired"]) < 3
    assert odd["reasons"] == [f"{-odd['exposure_ev']:.2f} EV darker: the camera was set differently"]
    assert all(abs(r["exposure_ev"]) < 0.03 and r["reasons"] == [] for r in rows if r is not odd)
    assert main(["fit", str(source), *map(str, frames)]) == 0
    assert f"{series[3].name}: does not fit." in capsys.readouterr().out


def test_even_takes_back_what_fit_found_and_developing_with_it_looks_the_same(
    series: list[Path], capsys: pytest.CaptureFixture[str], tmp_path: Path
) -> None:
    rows = said(capsys, "even", *series, "--reference", series[0].name, "--json")["frames"]
    assert rows[0]["set"] == {} and abs(rows[3]["set"]["tone.exposure_ev"] - 1.5) < 0.03
    assert all(abs(r["left_over_ev"]) < 0.03 for r in rows)
    plain = ["--set", "tone.view=linear", "--set", "tone.highlight_recovery=clip", "--format", "png"]
    pictures = []
    for row, path in ((rows[0], series[0]), (rows[3], series[3])):
        settings = [part for key, value in row["set"].items() for part in ("--set", f"{key}={value}")]
        (tmp_path / path.stem).mkdir()
        assert main(["develop", str(path), "-o", str(tmp_path / path.stem), *plain, *settings]) == 0
        pictures.append(np.asarray(Image.open(tmp_path / path.stem / f"{path.stem}.png"), np.float64))
    assert np.abs(np.median(pictures[1] - pictures[0], (0, 1))).max() <= 1
    capsys.readouterr()
    rows = said(capsys, "even", *series, "--reference", series[0], "--exposure-only", "--json")["frames"]
    assert all(set(r["set"]) <= {"tone.exposure_ev"} for r in rows)
    assert main(["even", *map(str, series), "--reference", "nobody.dng"]) == 2


def test_many_files_into_a_folder_and_a_bad_one_is_told(
    series: list[Path], capsys: pytest.CaptureFixture[str], tmp_path: Path
) -> None:
    bad = tmp_path / "TW-0999.dng"
    bad.write_bytes(series[0].read_bytes()[:30_000])
    twin = tmp_path / "twin" / series[0].name
    twin.parent.mkdir()
    twin.write_bytes(series[1].read_bytes())
    out = tmp_path / "out"
    code = main(["develop", str(series[0]), str(bad), str(twin), str(series[2]), "-o", str(out), "--long-edge", "200"])
    told = capsys.readouterr()
    assert code == 1 and "TW-0999.dng" in told.err and "3 of 4 files developed." in told.err
    assert sorted(p.name for p in out.iterdir()) == ["TW-0900-2.jpg", "TW-0900.jpg", "TW-0902.jpg"]
    # a second time nothing is replaced unasked
    assert main(["develop", str(series[0]), str(series[2]), "-o", str(out)]) == 1
    assert capsys.readouterr().err.count("already there") == 2
    assert main(["develop", str(series[0]), str(series[2]), "-o", str(out / "TW-0900.jpg")]) == 2


def test_presets_from_the_command_line(series: list[Path], capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    names = [p["name"] for p in said(capsys, "preset", "--json")["presets"]]
    assert "Flat copy work" in names
    half = said(capsys, "preset", "night, cool", "--strength", "0.4")
    # choices and switches count from one half on
    assert half["values"]["tone"]["highlights"] == -10 and half["values"]["definition"]["hot_pixels"] is False
    recipe = tmp_path / "bright.json"
    recipe.write_text(json.dumps({"recipe": 1, "tone": {"exposure_ev": 1.5, "contrast": 9}}))
    file = tmp_path / "mine.json"
    assert main(["preset", "Bright", "--recipe", str(recipe), "--only", "exposure", "-o", str(file)]) == 0
    assert json.loads(file.read_text())["values"] == {"tone": {"exposure_ev": 1.5}}
    pictures = []
    for number, more in enumerate((["--set", "tone.exposure_ev=0.75"], ["--preset", str(file), "--strength", "0.5"])):
        out = tmp_path / f"{number}.png"
        assert main(["develop", str(series[0]), "-o", str(out), *more]) == 0
        pictures.append(out.read_bytes())
    assert Image.open(tmp_path / "0.png").tobytes() == Image.open(tmp_path / "1.png").tobytes()
    assert main(["preset", "Bright", "--recipe", str(recipe), "--only", "exposure", "-o", str(file)]) == 1
    assert "already there" in capsys.readouterr().err
    assert main(["preset", "Bright", "--recipe", str(recipe), "-o", str(tmp_path / "nowhere" / "bright.json")]) == 1
    assert "There is no such folder" in capsys.readouterr().err
    assert main(["preset", "nothing like it"]) == 2
    assert main(["preset", "Bright", "--recipe", str(recipe), "--only", "sparkle"]) == 2
    assert main(["preset", str(recipe)]) == 1  # a recipe is no preset
