"""In the browser: passes on the loading door, painted, drawn and found, switched, weighed, put in order, carried, and
delivered."""

import json
import re
from pathlib import Path

import numpy as np
import pytest
import tifffile
from playwright.sync_api import Page, expect

from tests.conftest import demo_dng
from tests.e2e.conftest import accessible, drawn, saved
from tests.services.test_use_cases import run_jobs
from zincplate.cli.main import main
from zincplate.services import bring_in, shoots
from zincplate.services.context import Context
from zincplate.store.models import Frame, Version


@pytest.fixture
def door(context: Context, tmp_path: Path) -> dict[str, Version]:
    """Three frames of the loading door: the worker steps to the side."""
    made = shoots.create("Door")
    for number in (88, 89, 90):
        (tmp_path / f"TW-{number:04d}.dng").write_bytes(demo_dng(number))
    bring_in.start(context, made, bring_in.files_in(tmp_path))
    run_jobs(context)
    return {v.frame.name[:7]: v for v in Version.select().join(Frame).where(Frame.shoot == made)}


def passes(version: Version) -> list[dict]:
    found: list[dict] = Version.get_by_id(version.id).recipe["passes"]["passes"]
    return found


def take(page: Page, control: str, value: str) -> None:
    page.get_by_role("button", name="Add a control").click()
    page.get_by_role("textbox", name="Name of a control").fill(control.lower())
    page.get_by_role("menuitem", name=control, exact=True).click()
    page.get_by_label(f"{control}, number", exact=True).fill(value)
    page.keyboard.press("Enter")


def new_part(page: Page, name: str) -> None:
    page.get_by_role("group", name="New part of the area").get_by_role("button", name=name, exact=True).click()


def test_passes_from_the_first_stroke_to_the_delivery(
    page: Page, door: dict[str, Version], context: Context, tmp_path: Path
) -> None:
    version = door["TW-0089"]
    page.goto(f"/shoots/{version.frame.shoot_id}/frames/{version.frame_id}")
    drawn(page)
    page.keyboard.press("Shift+Digit7")
    expect(page.get_by_role("heading", name="Passes")).to_be_visible()

    # the worker, found, lighter and warmer
    page.get_by_role("button", name="New pass").click()
    new_part(page, "person")
    expect(page.get_by_role("button", name=re.compile(r"person .*% sure"))).to_be_visible(timeout=20_000)
    take(page, "Exposure", "1.1")
    take(page, "Warmer", "15")
    saved(
        version,
        lambda v: bool(v.recipe["passes"]["passes"]) and v.recipe["passes"]["passes"][0]["controls"]["warmer_mired"] == 15,
    )
    assert passes(version)[0]["name"] == "Person" and passes(version)[0]["controls"]["exposure_ev"] == 1.1
    row = page.get_by_role("listitem", name="Pass Person")
    expect(row).to_contain_text("+1.10 EV, warmer 15 mired")
    expect(row).to_contain_text(re.compile(r"covers [2-5]\.\d %"))
    accessible(page)

    # a window held back by the brush; keys for size and hardness; one stroke taken back by undo
    page.get_by_role("button", name="New pass").click()
    new_part(page, "brush")
    page.keyboard.press("BracketRight")
    page.keyboard.press("Shift+BracketRight")
    expect(page.get_by_label("Size, number")).to_have_value("8.0")
    expect(page.get_by_label("Hardness, number")).to_have_value("50")
    canvas = page.get_by_test_id("brush")
    box = canvas.bounding_box()
    assert box is not None
    x, y = box["x"] + 0.52 * box["width"], box["y"] + 0.4 * box["height"]
    for dx in (0, 40):
        page.mouse.move(x + dx, y)
        page.mouse.down()
        page.mouse.move(x + dx + 60, y + 30, steps=6)
        page.mouse.up()
        page.wait_for_timeout(150)
    saved(
        version,
        lambda v: (
            len(v.recipe["passes"]["passes"]) == 2 and len(v.recipe["passes"]["passes"][1]["area"]["terms"][0]["strokes"]) == 2
        ),
    )
    page.keyboard.press("Control+z")
    saved(version, lambda v: len(v.recipe["passes"]["passes"][1]["area"]["terms"][0]["strokes"]) == 1)
    stroke = passes(version)[1]["area"]["terms"][0]["strokes"][0]
    # where the hand was: the picture is centred and fitted into the place
    scale = (box["width"] - 36) / 3000
    px, py = (x - box["x"] - box["width"] / 2) / scale + 1500, (y - box["y"] - box["height"] / 2) / scale + 1000
    assert abs(stroke["points"][0] / 20000 * 3000 - px) < 6 and abs(stroke["points"][1] / 20000 * 3000 - py) < 6
    # with the keyboard too
    canvas.focus()
    page.keyboard.press("Shift+ArrowLeft")
    page.keyboard.press("Enter")
    saved(version, lambda v: len(v.recipe["passes"]["passes"][1]["area"]["terms"][0]["strokes"]) == 2)
    take(page, "Highlights", "-60")
    accessible(page)

    # a painting does not travel with every picture: the found area and long strokes go once
    asked: list[str] = []
    page.on("request", lambda r: asked.append(r.post_data or "") if r.url.endswith("/view") else None)
    for typed in ("-55", "-60"):
        page.get_by_label("Highlights, number").fill(typed)
        page.keyboard.press("Enter")
        drawn(page)
    found = len(passes(version)[0]["area"]["terms"][0]["raster"])
    assert asked and found > 400 and all('"piece"' in text and len(text) < 4000 + found for text in asked)
    assert '"is"' not in asked[-1]

    # edges of the picture cooler: a ring turned round, moved by its handle and by keys
    page.get_by_role("button", name="New pass").click()
    new_part(page, "ring")
    grip = page.get_by_role("button", name=re.compile("Middle of the ring"))
    saved(version, lambda v: len(v.recipe["passes"]["passes"]) == 3 and bool(v.recipe["passes"]["passes"][2]["area"]["terms"]))
    before = passes(version)[2]["area"]["terms"][0]["x"]
    grip.focus()
    # faster than answers come: none of the presses is lost
    for _ in range(5):
        page.keyboard.press("Shift+ArrowRight")
    moved = before + 50 / scale / 3000
    saved(version, lambda v: abs(v.recipe["passes"]["passes"][2]["area"]["terms"][0]["x"] - moved) < 4e-4)
    page.get_by_role("button", name="turn round").click()
    take(page, "Warmer", "-20")
    take(page, "Saturation", "-30")
    ring = saved(version, lambda v: v.recipe["passes"]["passes"][2]["controls"]["saturation"] == -30).recipe["passes"]["passes"][
        2
    ]
    assert ring["area"]["inverted"] and ring["controls"]["warmer_mired"] == -20
    page.get_by_label("Name of the pass").fill("Edges")
    page.keyboard.press("Enter")
    page.get_by_label("Group of the pass").fill("Mood")
    page.keyboard.press("Enter")

    # weakened, put below the others, switched; the area alone while H is held
    strength = page.get_by_label("Strength of pass Edges, percent")
    strength.focus()
    for _ in range(20):
        page.keyboard.press("ArrowLeft")
    page.get_by_role("button", name="Print earlier").click()
    page.get_by_role("button", name="Print earlier").click()
    saved(version, lambda v: [p["name"] for p in v.recipe["passes"]["passes"]] == ["Edges", "Person", "Pass 1"])
    assert passes(version)[0]["strength"] == 80 and passes(version)[0]["group"] == "Mood"
    page.get_by_role("main", name="Picture").focus()
    page.keyboard.down("h")
    expect(page.get_by_role("button", name="alone", exact=True)).to_have_attribute("aria-pressed", "true")
    page.keyboard.up("h")
    expect(page.get_by_role("button", name="alone", exact=True)).to_have_attribute("aria-pressed", "false")
    page.get_by_role("switch", name="Pass Pass 1 switched on").click()
    saved(version, lambda v: not v.recipe["passes"]["passes"][2]["on"])
    page.get_by_role("switch", name="Pass Pass 1 switched on").click()
    saved(version, lambda v: v.recipe["passes"]["passes"][2]["on"])

    # carried to the two others: found again, added to what is there
    page.get_by_role("button", name="Carry", exact=True).click()
    sheet = page.get_by_role("dialog", name=re.compile("Carry"))
    sheet.get_by_role("checkbox", name=re.compile("^Passes")).check()
    sheet.get_by_role("radio", name="found again").click()
    sheet.get_by_role("radio", name=re.compile("all 2 others")).click()
    expect(sheet.get_by_role("status")).to_contain_text("fit", timeout=30_000)
    for card in sheet.get_by_role("listitem").all():
        card.get_by_role("combobox").select_option("carry")
    accessible(page)
    sheet.get_by_role("button", name="Carry to 2 frames").click()
    expect(sheet.get_by_role("status")).to_contain_text("2 frames changed", timeout=60_000)
    own = passes(version)[1]["area"]["terms"][0]["raster"]
    for name in ("TW-0088", "TW-0090"):
        assert [p["name"] for p in passes(door[name])] == ["Edges", "Person", "Pass 1"]
        assert passes(door[name])[1]["area"]["terms"][0]["raster"] != own
    sheet.get_by_role("button", name="Done").click()

    # delivered, the same as from the command line
    page.get_by_role("banner").get_by_role("button", name="Deliver").click()
    page.get_by_role("checkbox", name="TIFF, 16 bit").check()
    page.get_by_role("button", name=re.compile(r"Deliver \d files?")).click()
    expect(page.get_by_role("link", name="Download TW-0089.tif")).to_be_visible(timeout=60_000)
    with page.expect_download() as tiff:
        page.get_by_role("link", name="Download TW-0089.tif").click()
    delivered = tifffile.imread(tiff.value.path())
    recipe, original = tmp_path / "recipe.json", tmp_path / "TW-0089.dng"
    recipe.write_text(json.dumps(Version.get_by_id(version.id).recipe))
    assert main(["develop", str(original), "--recipe", str(recipe), "-o", str(tmp_path / "own.tif"), "--depth", "16"]) == 0
    assert np.array_equal(delivered, tifffile.imread(tmp_path / "own.tif"))
    plain = tmp_path / "plain.tif"
    assert main(["develop", str(original), "-o", str(plain), "--depth", "16"]) == 0
    assert np.abs(delivered.astype(int) - tifffile.imread(plain)).mean() > 300


def test_inks_of_a_pass_are_taken_by_name_and_moved_by_key(page: Page, door: dict[str, Version]) -> None:
    version = door["TW-0088"]
    page.goto(f"/shoots/{version.frame.shoot_id}/frames/{version.frame_id}?step=passes")
    drawn(page)
    page.get_by_role("button", name="New pass").click()
    taken = page.get_by_role("region", name="What")

    def search(words: str) -> None:
        page.get_by_role("button", name="Add a control").click()
        page.get_by_role("textbox", name="Name of a control").fill(words)
        page.keyboard.press("Enter")
        page.keyboard.press("Escape")

    # a key is found by its colour, and comes with the other five; what is there is not offered again
    search("blue")
    taken.get_by_role("slider", name="Blue, saturation").focus()
    page.keyboard.press("Shift+ArrowDown")
    saved(version, lambda v: bool(v.recipe["passes"]["passes"]) and _controls(v)["blue_saturation"] == -10)
    taken.get_by_role("radio", name="lightness").click()
    taken.get_by_label("Red, lightness, number").fill("25")
    page.keyboard.press("Enter")
    search("toned")
    taken.get_by_role("radio", name="midtones").click()
    taken.get_by_label("Toned midtones, strength, number").fill("40")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Add a control").click()
    expect(page.get_by_role("menuitem", name="Ink keys")).to_have_count(0)
    # taking colour out shows the weights instead, and says no more of what rests
    page.get_by_role("menuitem", name="Black and white").click()
    taken.get_by_label("Red, weight in grey, number").fill("60")
    page.keyboard.press("Enter")
    saved(version, lambda v: _controls(v)["red_grey"] == 60)
    row = page.get_by_role("listitem", name="Pass 1")
    expect(row).to_contain_text("black and white, red, weight in grey +60, toned midtones, strength 40")
    accessible(page)
    found = _controls(Version.get_by_id(version.id))
    assert {n: v for n, v in found.items() if n.split("_")[0] in ("red", "blue", "toning") and v and not n.endswith("_hue")} == {
        "blue_saturation": -10, "red_lightness": 25, "toning_midtones": 40, "red_grey": 60
    }  # fmt: skip
    page.get_by_role("switch", name="Black and white").click()
    expect(taken.get_by_label("Red, lightness, number")).to_have_value("+25")


def _controls(version: Version) -> dict[str, float]:
    found: dict[str, float] = version.recipe["passes"]["passes"][0]["controls"]
    return found
