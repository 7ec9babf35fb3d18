"""In the browser: bring in the card, mark, develop a raw, compare, undo, deliver, and check the delivered pixels."""

import hashlib
import io
import re

import numpy as np
import tifffile
from PIL import Image
from playwright.sync_api import Browser, Page, expect

from tests.conftest import Stack
from tests.e2e.conftest import accessible, drawn, saved
from zincplate.services import originals, pictures
from zincplate.services.context import Context
from zincplate.store.models import Frame, Version


def test_from_the_card_to_a_delivered_picture(page: Page, context: Context) -> None:
    page.goto("/")
    expect(page.get_by_text("Memory card HARROW is in the reader, 4 files.")).to_be_visible()
    accessible(page)
    page.get_by_role("banner").get_by_role("button", name="Bring in").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Name of the new shoot").fill("First light")
    accessible(page)
    dialog.get_by_role("button", name="Bring in").click()

    # contact sheet: three frames, one refused with its reason
    expect(page.locator("[data-frame]")).to_have_count(3, timeout=60_000)
    expect(page.get_by_text("TW-0091.dng")).to_be_visible(timeout=30_000)
    page.get_by_role("gridcell", name="TW-0010 unmarked").click()
    page.keyboard.press("k")
    expect(page.get_by_role("gridcell", name="TW-0010 keep")).to_be_visible()
    page.keyboard.press("4")
    expect(page.get_by_role("gridcell", name=re.compile("TW-0010 keep ?4 stars"))).to_be_visible()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("d")
    expect(page.get_by_role("gridcell", name="TW-0090 drop")).to_be_visible()
    page.get_by_role("button", name="kept 1").click()
    expect(page.locator("[data-frame]")).to_have_count(1)
    page.get_by_role("button", name="all 3").click()
    accessible(page)
    kept = {f.name: (f.content_hash, originals.original_path(context.home, f)) for f in Frame.select()}

    # bench: neutral, exposure, curve
    page.get_by_role("gridcell", name=re.compile("TW-0010 keep ?4 stars")).dblclick()
    drawn(page)
    page.keyboard.press("Shift+Digit2")
    page.get_by_role("button", name="Pick a neutral").click()
    picture = page.get_by_test_id("picture")
    box = picture.bounding_box()
    assert box is not None
    patch = neutral_patch(page, context)
    page.mouse.click(box["x"] + patch[0], box["y"] + patch[1])
    expect(page.get_by_label("Temperature, number")).not_to_have_value("as shot")
    accessible(page)
    page.keyboard.press("Shift+Digit3")
    gauge = page.get_by_role("slider", name="Exposure", exact=True)
    gauge.focus()
    for _ in range(6):
        page.keyboard.press("ArrowRight")
    expect(page.get_by_label("Exposure, number")).to_have_value("+0.30")
    page.get_by_label("Contrast round middle grey, number").fill("15")
    page.keyboard.press("Enter")
    curve = page.get_by_role("region", name="Curve")
    curve.locator("svg").scroll_into_view_if_needed()
    field = curve.locator("svg").bounding_box()
    assert field is not None
    page.mouse.move(field["x"] + field["width"] * 0.5, field["y"] + field["height"] * 0.5)
    page.mouse.down()
    page.mouse.move(field["x"] + field["width"] * 0.5, field["y"] + field["height"] * 0.44, steps=6)
    page.mouse.up()
    expect(curve.get_by_label("Output of the point")).not_to_have_value("127.5")
    drawn(page)
    accessible(page)

    # history and undo survive a reload
    page.get_by_role("button", name="History").click()
    expect(page.get_by_text("Curve, RGB straight")).to_be_visible()
    page.keyboard.press("Escape")
    page.keyboard.press("Control+z")
    expect(curve.get_by_role("button", name="Point 3")).to_have_count(0)
    page.keyboard.press("Control+Shift+z")
    expect(curve.get_by_role("button", name="Point 3")).to_have_count(1)
    page.reload()
    expect(page.get_by_label("Exposure, number")).to_have_value("+0.30")
    drawn(page)

    # original, split, warnings, values under the pointer
    page.mouse.move(box["x"] + 300, box["y"] + 300)
    expect(page.get_by_test_id("pixel")).to_contain_text("L*")
    page.keyboard.down("o")
    expect(page.get_by_text("as it came in")).to_be_visible()
    page.keyboard.up("o")
    page.keyboard.press("Shift+O")
    expect(page.get_by_text("adjusted", exact=True)).to_be_visible()
    page.keyboard.press("w")
    page.keyboard.press("Shift+O")
    page.keyboard.press("w")

    # one to one, read back from the canvas
    page.keyboard.press("f")
    expect(page.get_by_label("zoom").first).to_have_value("100")
    page.wait_for_timeout(1500)
    on_screen = canvas_pixels(page)

    # deliver JPEG and TIFF, download
    page.get_by_role("banner").get_by_role("button", name="Deliver").click()
    page.get_by_role("checkbox", name="JPEG, full size").check()
    page.get_by_role("checkbox", name="TIFF, 16 bit").check()
    expect(page.get_by_role("button", name="Deliver 3 files")).to_be_enabled()
    # what is set here is still set after a look elsewhere, and taken back at once
    edge, reset = page.get_by_label("long edge in pixels"), page.get_by_role("button", name="Reset JPEG for the web")
    edge.fill("1200")
    edge.press("Enter")
    page.go_back()
    drawn(page)
    page.get_by_role("banner").get_by_role("button", name="Deliver").click()
    expect(page.get_by_role("button", name="Deliver 3 files")).to_be_enabled()
    expect(edge).to_have_value("1200")
    reset.click()
    expect(edge).to_have_value("2048")
    expect(reset).to_be_focused()
    accessible(page)
    page.get_by_role("button", name="Deliver 3 files").click()
    expect(page.get_by_role("link", name="Download TW-0010.tif")).to_be_visible(timeout=60_000)
    with page.expect_download() as tiff:
        page.get_by_role("link", name="Download TW-0010.tif").click()
    with page.expect_download() as jpeg:
        page.get_by_role("link", name="Download TW-0010.jpg").click()
    delivered = tifffile.imread(tiff.value.path())
    assert delivered.dtype == np.uint16 and delivered.shape == (2000, 3000, 3)
    height, width = on_screen.shape[:2]
    y, x = (2000 - height) // 2, (3000 - width) // 2
    part = delivered[y : y + height, x : x + width] / 257.0
    # what lies between them is the screen's JPEG coding and half a level of dither
    assert np.abs(on_screen - part).mean() < 1.6
    assert np.abs((on_screen - part).mean((0, 1))).max() < 0.5
    with Image.open(jpeg.value.path()) as image:
        assert image.size == (3000, 2000) and image.getexif()[272] == "Pennick Field 6"
        assert np.abs(np.asarray(image) - delivered / 257.0).mean() < 1.6
    for name, (content_hash, path) in kept.items():
        assert hashlib.sha256(path.read_bytes()).hexdigest() == content_hash, name


def neutral_patch(page: Page, context: Context) -> tuple[float, float]:
    """Where, in the canvas at fit, the target's second grey patch lies: found by its flatness and neutrality."""
    version = Version.select().join(Frame).where(Frame.name == "TW-0010.dng").get()
    with Image.open(io.BytesIO(pictures.small_picture(context, version)[0])) as image:
        thumb = np.asarray(image).astype(float)
    size = page.get_by_test_id("picture").bounding_box()
    assert size is not None
    scale = min((size["width"] - 36) / 3000, (size["height"] - 36) / 2000)
    left, top = (size["width"] - 3000 * scale) / 2, (size["height"] - 2000 * scale) / 2
    best, place = 1e9, (0, 0)
    for row in range(int(thumb.shape[0] * 0.8), thumb.shape[0] - 8, 2):
        for column in range(60, 260, 2):
            block = thumb[row - 3 : row + 4, column - 3 : column + 4]
            if 70 < block.mean() < 200 and block.std((0, 1)).max() < best:
                best, place = block.std((0, 1)).max(), (column, row)
    factor = 3000 / thumb.shape[1] * scale
    return left + place[0] * factor, top + place[1] * factor


def canvas_pixels(page: Page) -> np.ndarray:
    """(h, w, 3) of the picture's canvas."""
    data = page.evaluate(
        "() => new Promise(done => document.querySelector('canvas').toBlob(async b => "
        "done(Array.from(new Uint8Array(await b.arrayBuffer()))), 'image/png'))"
    )
    return np.asarray(Image.open(io.BytesIO(bytes(data))).convert("RGB")).astype(float)


def test_two_tabs_and_a_database_that_is_away(page: Page, browser: Browser, stack: Stack, context: Context) -> None:
    page.goto("/")
    page.get_by_role("banner").get_by_role("button", name="Bring in").click()
    page.get_by_role("dialog").get_by_role("button", name="Bring in").click()
    expect(page.locator("[data-frame]")).to_have_count(3, timeout=60_000)
    page.get_by_role("gridcell", name="TW-0001 unmarked").dblclick()
    drawn(page)
    second = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=stack.url)
    other = second.new_page()
    other.goto(page.url)
    drawn(other)
    other.get_by_role("slider", name="Exposure", exact=True).focus()
    other.keyboard.press("PageUp")
    version = Version.get(Version.frame == Frame.get(Frame.name == "TW-0001.dng"))
    saved(version, lambda v: v.revision == 1)
    # another control: both changes are kept
    page.get_by_role("slider", name="White point", exact=True).focus()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_text("Both changes are in it now.")).to_be_visible()
    expect(page.get_by_label("Exposure, number")).to_have_value("+0.50")
    saved(version, lambda v: v.recipe["tone"]["white_point"] == 1 and v.recipe["tone"]["exposure_ev"] == 0.5)
    # the same control: the other one's stands, ours is offered again
    other.get_by_label("Exposure, number").fill("0.9")
    other.keyboard.press("Enter")
    expect(other.get_by_text("Both changes are in it now.")).to_be_visible()
    saved(version, lambda v: v.recipe["tone"]["exposure_ev"] == 0.9)
    page.get_by_label("Exposure, number").fill("-0.4")
    page.keyboard.press("Enter")
    expect(page.get_by_text("Exposure: changed elsewhere meanwhile.")).to_be_visible()
    expect(page.get_by_label("Exposure, number")).to_have_value("+0.90")
    page.get_by_role("button", name="Set mine").click()
    expect(page.get_by_label("Exposure, number")).to_have_value("\N{MINUS SIGN}0.40")
    saved(version, lambda v: v.recipe["tone"]["exposure_ev"] == -0.4)
    second.close()
