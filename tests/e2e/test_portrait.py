"""In the browser: a portrait's skin found and evened by the size of the face, shine covered, glow and sharpness by place."""

import json
import re
from pathlib import Path

import imagecodecs
import numpy as np
import pytest
import skimage.data
import tifffile
from playwright.sync_api import Page, Route, expect

from tests.e2e.conftest import accessible, drawn, saved
from tests.e2e.test_passes import new_part, passes, take
from tests.services.test_use_cases import run_jobs
from zincplate.cli.main import main
from zincplate.services import bring_in, shoots
from zincplate.services.context import Context
from zincplate.store.models import Frame, Version


@pytest.fixture
def portrait(context: Context, tmp_path: Path) -> list[Version]:
    """scikit-image's astronaut (NASA, public domain) as a photograph, and a cup beside it."""
    made = shoots.create("Portraits")
    (tmp_path / "a portrait.png").write_bytes(imagecodecs.png_encode(skimage.data.astronaut()))
    (tmp_path / "b cup.png").write_bytes(imagecodecs.png_encode(skimage.data.coffee()))
    bring_in.start(context, made, bring_in.files_in(tmp_path))
    run_jobs(context)
    return list(Version.select().join(Frame).where(Frame.shoot == made).order_by(Frame.name))


def open_passes(page: Page, version: Version) -> None:
    page.goto(f"/shoots/{version.frame.shoot_id}/frames/{version.frame_id}")
    drawn(page)
    page.keyboard.press("Shift+Digit7")
    expect(page.get_by_role("heading", name="Passes")).to_be_visible()


def test_skin_is_found_and_evened_and_the_delivery_is_what_was_seen(page: Page, portrait: list[Version], tmp_path: Path) -> None:
    version = portrait[0]
    open_passes(page, version)
    page.get_by_role("button", name="New pass").click()
    new_part(page, "skin")
    expect(page.get_by_role("button", name=re.compile(r"skin .*% sure"))).to_be_visible(timeout=30_000)
    # the size of blotches went with the face, and what skin is found for lies ready
    even = page.get_by_label("Even light, number")
    expect(even).to_be_visible()
    saved(version, lambda v: v.recipe["passes"]["passes"][0]["controls"].get("forms_percent") == pytest.approx(2.2, abs=0.15))
    even.fill("70")
    page.keyboard.press("Enter")
    take(page, "Cover shine", "50")
    # to a tone picked by press, to what lies around it again, and to one picked with the keyboard
    tone = lambda v: v.recipe["passes"]["passes"][0]["controls"].get("shine_tone")  # noqa: E731
    pick = page.get_by_role("button", name="Pick the tone for shine from the picture")
    pick.click()
    box = page.get_by_role("main", name="Picture").bounding_box()
    assert box is not None
    page.mouse.click(box["x"] + 0.5 * box["width"], box["y"] + 0.4 * box["height"])
    pressed = tone(saved(version, lambda v: tone(v) is not None))
    expect(page.get_by_role("listitem", name="Pass Skin")).to_contain_text("cover shine 50, to a picked tone")
    page.get_by_role("button", name="Take the tone for shine from around it").click()
    saved(version, lambda v: tone(v) is None)
    pick.click()
    page.get_by_role("button", name="Pick a place of the picture").focus()
    for key in ("Shift+ArrowDown", "Shift+ArrowDown", "Enter"):
        page.keyboard.press(key)
    assert tone(saved(version, lambda v: tone(v) is not None)) != pressed
    expect(pick).to_have_attribute("aria-pressed", "false")
    for shown in ("outline", "film", "film"):
        page.get_by_role("button", name=shown, exact=True).click()
        drawn(page)
    expect(page.get_by_role("listitem", name="Pass Skin")).to_contain_text("even light +70")
    # a second pass: all but the skin softer, and lights that glow
    page.get_by_role("button", name="New pass").click()
    new_part(page, "main subject")
    expect(page.get_by_role("button", name=re.compile(r"main subject .*% sure"))).to_be_visible(timeout=30_000)
    page.get_by_role("button", name="turn round").click()
    take(page, "Sharper", "-60")
    take(page, "Glow", "25")
    expect(page.get_by_label("Reach of the glow, number")).to_be_visible()
    page.get_by_label("close gaps, px").fill("12")
    page.keyboard.press("Enter")
    saved(version, lambda v: v.recipe["passes"]["passes"][1]["area"].get("close_px") == 12)
    accessible(page)
    controls = [p["controls"] for p in passes(version)]
    assert controls[0]["even_light"] == 70 and controls[0]["shine"] == 50
    assert controls[1]["sharper"] == -60 and controls[1]["glow"] == 25 and passes(version)[1]["area"]["inverted"]

    page.get_by_role("banner").get_by_role("button", name="Deliver").click()
    page.get_by_role("checkbox", name="TIFF, 16 bit").check()
    page.get_by_role("button", name=re.compile(r"Deliver \d files?")).click()
    link = page.get_by_role("link", name=re.compile(r"Download a portrait.*\.tif"))
    expect(link).to_be_visible(timeout=60_000)
    with page.expect_download() as tiff:
        link.click()
    delivered = tifffile.imread(tiff.value.path())
    recipe, original, own = tmp_path / "recipe.json", tmp_path / "a portrait.png", tmp_path / "own.tif"
    recipe.write_text(json.dumps(Version.get_by_id(version.id).recipe))
    assert main(["develop", str(original), "--recipe", str(recipe), "-o", str(own), "--depth", "16"]) == 0
    assert np.array_equal(delivered, tifffile.imread(own))
    plain = skimage.data.astronaut().astype(int) * 257
    moved = np.abs(delivered.astype(int) - plain).mean(-1)
    assert moved[120:140, 188:204].mean() > 60 and moved[:60, 420:].mean() > 60  # cheek; flag and shuttle behind her


def test_what_was_found_late_goes_to_the_frame_it_was_looked_for_on(page: Page, portrait: list[Version]) -> None:
    """The answer comes when the next frame is open already; and a frame without a face says so."""
    first, second = portrait
    open_passes(page, first)
    page.get_by_role("button", name="New pass").click()
    expect(page.get_by_role("listitem", name=re.compile("Pass"))).to_have_count(1)
    held: list[Route] = []
    page.route("**/find", lambda route: held.append(route))
    new_part(page, "faces")
    expect(page.get_by_role("button", name="looking ...")).to_be_visible()
    page.get_by_role("main", name="Picture").focus()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_role("banner")).to_contain_text("b cup")
    drawn(page, held=1)
    assert len(held) == 1
    held[0].continue_()
    saved(first, lambda v: bool(v.recipe["passes"]["passes"]) and len(v.recipe["passes"]["passes"][0]["area"]["terms"]) == 1)
    assert not Version.get_by_id(second.id).recipe.get("passes", {}).get("passes")
    page.unroute("**/find")
    page.get_by_role("button", name="New pass").click()
    new_part(page, "skin")
    expect(page.get_by_text("so nobody's skin can be told")).to_be_visible(timeout=30_000)
