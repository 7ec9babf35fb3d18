"""The command line: same pixels as the service, exit codes, one clear line for bad input."""

import json
from pathlib import Path
from typing import get_args

import numpy as np
import pytest
import tifffile
from PIL import Image

from zincplate.cli.main import main
from zincplate.formats.icc import profile_of
from zincplate.formats.isolated import Decoder
from zincplate.ops.areas import FoundKind
from zincplate.recipe.document import Recipe
from zincplate.render.render import Renderer
from zincplate.store.home import Home


def test_develop_gives_the_pixels_of_a_delivery(dng: Path, tmp_path: Path, decoder: Decoder) -> None:
    before = dng.read_bytes()
    recipe = tmp_path / "recipe.json"
    recipe.write_text(json.dumps({"recipe": 1, "tone": {"contrast": 20}}))
    out = tmp_path / "out.tif"
    settings = ["--set", "tone.exposure_ev=0.5", "--set", "balance.temperature_kelvin=5200"]
    assert main(["develop", str(dng), "-o", str(out), "--recipe", str(recipe), "--space", "romm", *settings]) == 0
    renderer = Renderer(decoder)
    source = renderer.open(dng, "cli")
    wanted = Recipe.neutral(True).with_values(
        {"tone": {"contrast": 20, "exposure_ev": 0.5}, "balance": {"temperature_kelvin": 5200}}
    )
    assert (tifffile.imread(out) == renderer.deliver(source, wanted, space="romm", bits=16)).all()
    with tifffile.TiffFile(out) as file:
        assert file.pages[0].tags[34675].value == profile_of("romm")
        assert file.pages[0].tags["ExifTag"].value["ISOSpeedRatings"] == 200
    assert dng.read_bytes() == before
    small = tmp_path / "small.jpg"
    assert main(["develop", str(dng), "-o", str(small), "--long-edge", "300", "--quality", "80"]) == 0
    with Image.open(small) as image:
        assert image.size == (300, 200) and image.getexif()[272] == "Pennick Test 1" and image.getexif()[274] == 1


def test_neutral_jpeg_comes_back(tmp_path: Path) -> None:
    pixels = np.random.default_rng(5).integers(0, 256, (40, 60, 3)).astype(np.uint8)
    Image.fromarray(pixels).save(tmp_path / "in.jpg", quality=95, subsampling=0)
    decoded = np.asarray(Image.open(tmp_path / "in.jpg"))
    assert main(["develop", str(tmp_path / "in.jpg"), "-o", str(tmp_path / "out.png")]) == 0
    assert np.abs(np.asarray(Image.open(tmp_path / "out.png")).astype(int) - decoded).max() <= 1


@pytest.mark.parametrize(
    ("arguments", "code", "part"),
    [
        (["--set", "tone.brightness=1"], 2, "no control"),
        (["--set", "tone.exposure_ev=99"], 2, "less than or equal to 5"),
        (["--set", "exposure"], 2, "STEP.CONTROL=VALUE"),
        (["--space", "cmyk"], 2, "no colour space"),
        (["--depth", "16"], 2, "--depth 16: JPEG holds 8"),
        (["--depth", "12"], 2, "--depth 12: A delivery has 8 or 16"),
        (["--long-edge", "-5"], 2, "--long-edge -5: The long edge"),
        (["--quality", "0"], 2, "--quality 0: Quality"),
        (["--set", "framing.corners=[0,0,0,0]"], 2, "eight numbers"),
        (["--set", "framing.crop_width=0.5"], 2, "a crop needs crop_height too"),
        (["--set", "framing.crop_x=0.3"], 2, "a crop needs crop_width and crop_height too"),
        (["--set", "framing.quarter_turn=91"], 2, "framing.quarter_turn"),
        (["--recipe", "nowhere.json"], 1, "nowhere.json"),
    ],
)
def test_bad_usage(
    dng: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str], arguments: list[str], code: int, part: str
) -> None:
    out = tmp_path / "out.jpg"
    assert main(["develop", str(dng), "-o", str(out), *arguments]) == code
    message = capsys.readouterr().err.strip()
    assert part in message and "\n" not in message and not out.exists()


@pytest.mark.parametrize("value", ["90", '"90"'])
def test_a_quarter_turn_is_taken_as_it_is_typed(dng: Path, tmp_path: Path, value: str) -> None:
    assert main(["develop", str(dng), "-o", str(tmp_path / "out.jpg"), "--set", f"framing.quarter_turn={value}"]) == 0
    with Image.open(tmp_path / "out.jpg") as image:
        assert image.size == (480, 720)


@pytest.mark.parametrize(
    ("settings", "part"),
    [
        (["crop_x=0.9", "crop_y=0.3", "crop_width=0.5", "crop_height=0.3"], "The crop was made smaller"),
        (["crop_x=0.9", "crop_y=0.3", "crop_width=0.5", "crop_height=0.3", "reach_beyond=true"], "lies beyond the picture"),
        (["rise=50"], "The picture was made smaller"),
    ],
)
def test_what_became_of_a_crop_is_told(
    dng: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str], settings: list[str], part: str
) -> None:
    arguments = [text for setting in settings for text in ("--set", f"framing.{setting}")]
    assert main(["develop", str(dng), "-o", str(tmp_path / "out.jpg"), *arguments]) == 0
    assert part in capsys.readouterr().err


def test_bad_files_and_names(dng: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    (tmp_path / "cut.dng").write_bytes(dng.read_bytes()[:9000])
    taken = tmp_path / "taken.jpg"
    taken.write_bytes(b"mine")
    for arguments, code, part in (
        ([str(tmp_path / "cut.dng"), "-o", str(tmp_path / "a.jpg")], 1, "cut.dng: The picture data end after"),
        ([str(dng), "-o", str(tmp_path / "a.xyz")], 2, "no format"),
        ([str(dng), "-o", str(taken)], 1, "already there"),
        ([str(dng), "-o", str(tmp_path / "no" / "a.jpg")], 1, "no such folder"),
        ([str(dng), "-o", str(dng), "--overwrite"], 2, "no format"),
        ([str(dng), str(taken), "-o", str(tmp_path / "many"), "--format", "gif"], 2, "There are jpeg, tiff, png"),
    ):
        assert main(["develop", *arguments]) == code
        assert part in capsys.readouterr().err
    assert taken.read_bytes() == b"mine"
    with pytest.raises(SystemExit) as stopped:
        main(["develop"])
    assert stopped.value.code == 2


def test_info_and_schema(dng: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["info", str(dng), "--json"]) == 0
    facts = json.loads(capsys.readouterr().out)
    assert facts["camera_model"] == "Pennick Test 1" and facts["preview_bytes"] > 1000
    assert main(["info", str(dng)]) == 0 and "Aperture          f/8" in capsys.readouterr().out
    assert main(["schema"]) == 0
    assert json.loads(capsys.readouterr().out)["properties"]["tone"]["properties"]["exposure_ev"]["maximum"] == 5


def test_verify_of_an_empty_library(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]) -> None:
    monkeypatch.setenv("ZINCPLATE_HOME", str(tmp_path))
    Home(tmp_path).make()
    assert main(["verify"]) == 0 and "0 originals" in capsys.readouterr().out
    (tmp_path / "originals.jsonl").write_text('{"path": "a/b.dng", "sha256": "0", "size": 1}\nnot json\n')
    assert main(["verify", "--json"]) == 1
    told = " ".join(json.loads(capsys.readouterr().out)["problems"])
    assert "Line 2" in told and "b.dng" in told
    monkeypatch.setenv("ZINCPLATE_HOME", str(tmp_path / "nowhere"))
    assert main(["verify"]) == 1 and "no library" in capsys.readouterr().out
    assert main(["verify", "--repair"]) == 2


def test_passes_from_the_command_line(tmp_path: Path, dng: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """A pass reached by its name, its area as a picture, and the same picture as from a recipe that says it all."""
    recipe = tmp_path / "vault.json"
    ring = {"kind": "ring", "x": 0.5, "y": 0.33, "radius_x": 0.2, "radius_y": 0.2, "softness": 0}
    vault = {"name": "vault", "area": {"terms": [ring]}, "controls": {"exposure_ev": 1}}
    recipe.write_text(json.dumps({"passes": {"passes": [vault]}}))
    develop = ["develop", str(dng), "--recipe", str(recipe)]
    assert main([*develop, "-o", str(tmp_path / "a.png"), "--set", "passes.vault.exposure_ev=-2"]) == 0
    assert main([*develop, "-o", str(tmp_path / "b.png"), "--set", "passes.passes=[]"]) == 0
    a, b = (np.asarray(Image.open(tmp_path / name), np.int64) for name in ("a.png", "b.png"))
    assert (b - a)[235:245, 355:365].mean() > 15 and np.abs(b - a)[:60, :60].max() <= 1
    assert main(["area", str(dng), "--recipe", str(recipe), "--pass", "vault", "-o", str(tmp_path / "m.png")]) == 0
    mask = np.asarray(Image.open(tmp_path / "m.png"))
    assert mask.dtype in (np.uint16, np.int32) and mask.shape == (480, 720)
    assert mask[240, 360] == 65535 and mask[10, 10] == 0
    assert (mask / 65535).sum() == pytest.approx(np.pi * 144**2, rel=0.01)
    assert "16 bit grey, covers 18." in capsys.readouterr().out
    for wrong, words in (
        (["--set", "passes.door.exposure_ev=1"], 'no pass "door". The recipe has vault'),
        (["--set", "passes.vault.sparkle=1"], 'A pass has no "sparkle"'),
        (["--set", "passes.vault.exposure_ev=99"], "exposure_ev"),
    ):
        assert main([*develop, "-o", str(tmp_path / "c.png"), *wrong]) == 2
        assert words in capsys.readouterr().err
    area = ["area", str(dng), "-o", str(tmp_path / "n.png")]
    assert main(area) == 2 and main([*area, "--pass", "x"]) == 1
    for what in get_args(FoundKind):  # whatever there is to find can be asked for
        assert main(["area", str(dng), "-o", str(tmp_path / f"{what}.png"), "--find", what]) in (0, 1)
    capsys.readouterr()
    assert main([*area, "--find", "person"]) == 1
    assert "No person was found" in capsys.readouterr().err and not (tmp_path / "n.png").exists()


def test_repairs_from_the_command_line(tmp_path: Path, dng: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """A recipe with a removal is filled, then delivered; without a removal to fill or dust to find it says so."""
    recipe, filled = tmp_path / "hole.json", tmp_path / "filled.json"
    hole = {"kind": "removal", "strokes": [{"points": [8000, 6000, 9000, 6000], "size": 0.05}]}
    recipe.write_text(json.dumps({"repair": {"repairs": [hole]}}))
    assert main(["mend", str(dng), "--recipe", str(recipe), "--fill", "-o", str(filled)]) == 0
    assert "1 removal" in capsys.readouterr().out
    fill = json.loads(filled.read_text())["repair"]["repairs"][0]["fill"]
    assert len(fill) > 50
    for name, used in (("a.png", recipe), ("b.png", filled)):
        assert main(["develop", str(dng), "--recipe", str(used), "-o", str(tmp_path / name)]) == 0
    assert main(["develop", str(dng), "-o", str(tmp_path / "c.png")]) == 0
    a, b, c = (np.asarray(Image.open(tmp_path / name), np.int64) for name in ("a.png", "b.png", "c.png"))
    assert (a == b).all() and (a != c).any()
    ys, xs = np.nonzero((a != c).any(2))
    assert 200 < ys.mean() < 235 and 285 < xs.mean() < 330
    wider = {"reach_beyond": True, "crop_x": 0.5, "crop_y": 0.35, "crop_width": 1.04, "crop_height": 0.7}
    sets = [part for name, value in wider.items() for part in ("--set", f"framing.{name}={json.dumps(value)}")]
    around = tmp_path / "around.json"
    assert main(["mend", str(dng), "--beyond", "--fill", *sets, "-o", str(around)]) == 0
    made = json.loads(around.read_text())["repair"]["repairs"]
    assert made and all(r["kind"] == "removal" and r["outline"] and r["fill"] for r in made)
    assert main(["mend", str(dng), "--beyond", "-o", str(tmp_path / "none.json")]) == 1
    assert "nothing that lies beyond" in capsys.readouterr().err
    assert main(["mend", str(dng), "-o", str(tmp_path / "d.json")]) == 2 and "--dust" in capsys.readouterr().err
    assert main(["mend", str(dng), "--fill", "-o", str(filled)]) == 1 and "--overwrite" in capsys.readouterr().err
