"""In the browser: suggestions, the wedge, ink keys, definition at 1:1, samplers, named states, all of it by keyboard too."""

import base64
import io

import numpy as np
from PIL import Image
from playwright.sync_api import Page, expect

from tests.e2e.conftest import accessible, drawn
from zincplate.services.context import Context
from zincplate.store.models import Frame, Version


def opened(page: Page, name: str) -> None:
    """Brings the card in and opens one frame on the bench."""
    page.goto("/")
    page.get_by_role("banner").get_by_role("button", name="Bring in").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Name of the new shoot").fill("Develop")
    dialog.get_by_role("button", name="Bring in").click()
    expect(page.locator("[data-frame]")).to_have_count(3, timeout=60_000)
    page.get_by_role("gridcell", name=f"{name} unmarked").dblclick()
    drawn(page)


def shown(page: Page) -> np.ndarray:
    """Pixels of the canvas (h, w, 3)."""
    drawn(page)
    data = page.get_by_test_id("picture").evaluate("c => c.toDataURL('image/png')")
    return np.asarray(Image.open(io.BytesIO(base64.b64decode(data.split(",")[1]))).convert("RGB"))


def recipe(context: Context, name: str) -> dict[str, dict[str, object]]:
    """The saved recipe of a frame."""
    frame = Frame.get(Frame.name == name)
    return Version.get(Version.frame == frame).recipe


def test_one_frame_to_the_full(page: Page, context: Context) -> None:
    opened(page, "TW-0090")
    before = shown(page)

    # a measured start, with its reasons
    page.get_by_role("button", name="Suggest tone").click()
    suggestions = page.get_by_role("region", name="Suggestions")
    expect(suggestions.get_by_role("listitem")).not_to_have_count(0, timeout=20_000)
    suggestions.get_by_role("button", name="Tone alone").click()
    drawn(page)
    expect(page.get_by_role("button", name="why").first).to_be_visible()
    accessible(page)
    assert np.abs(shown(page).astype(int) - before).mean() > 1
    # measured once more, its small pictures are those of what has changed since
    asked: list[str] = []
    page.on("request", lambda r: asked.append(r.post_data or "") if "/view" in r.url else None)
    page.get_by_role("button", name="Suggest tone").click()
    expect(suggestions.get_by_role("button", name="Measuring")).to_be_visible()
    expect(suggestions.get_by_role("button", name="Suggest tone")).to_be_visible(timeout=20_000)
    drawn(page)
    small = [text for text in asked if '"urgency":"rest"' in text]
    assert len(small) >= suggestions.get_by_role("listitem").count() > 1

    # the wedge by keyboard, shadows from there
    page.get_by_role("slider", name="Wedge, shadows").focus()
    value = float(page.get_by_label("Shadows, number").input_value().replace("\N{MINUS SIGN}", "-"))
    page.keyboard.press("Shift+ArrowUp")
    expect(page.get_by_label("Shadows, number")).to_have_value(f"+{value + 10:.0f}")

    # colour: a key of the circle by keyboard, and one picked without a pointer
    page.keyboard.press("Shift+Digit4")
    page.get_by_role("slider", name="Green, saturation").focus()
    for _ in range(3):
        page.keyboard.press("Shift+ArrowUp")
    expect(page.get_by_label("Green, saturation, number")).to_have_value("+30")
    page.get_by_role("button", name="Pick a colour").click()
    page.get_by_role("img", name="TW-0090.dng, developed picture").focus()
    for _ in range(8):
        page.keyboard.press("Shift+ArrowLeft")
    page.keyboard.press("Shift+ArrowUp")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Name of the key")).to_be_visible()
    page.get_by_role("button", name="Show its reach").click()
    drawn(page)
    accessible(page)
    page.get_by_role("button", name="Show its reach").click()
    page.get_by_role("slider", name="picked key, saturation").focus()
    page.keyboard.press("ArrowUp")

    # definition at 1:1 with the edge area
    page.keyboard.press("Shift+Digit5")
    page.keyboard.press("f")
    page.get_by_label("Sharpening, amount, number").fill("120")
    page.keyboard.press("Enter")
    plain = shown(page)
    page.get_by_role("button", name="Show edge area").click()
    drawn(page)
    area = shown(page)
    assert np.abs(area.astype(int) - plain).mean() > 10
    assert (area[..., 0].astype(int) - area[..., 2]).max() > 60  # the amber film
    page.keyboard.press("Escape")
    page.get_by_role("switch", name="Hot pixels").click()
    accessible(page)

    # the slow noise reduction is seen once nothing moves, and only then said to be
    page.get_by_label("Luminance noise, number").fill("60")
    page.keyboard.press("Enter")
    drawn(page)
    quick = shown(page)
    page.get_by_role("radiogroup", name="Way").get_by_text("Best").click()
    expect(page.get_by_text("Shown as it is delivered.")).to_be_visible(timeout=90_000)
    assert not np.array_equal(shown(page), quick)
    page.get_by_role("radiogroup", name="Way").get_by_text("Quick").click()
    expect(page.get_by_text("Shown as it is delivered.")).to_have_count(0)
    drawn(page)
    page.get_by_label("Luminance noise, number").fill("0")
    page.keyboard.press("Enter")

    # finish, and a place whose values stay in sight
    page.keyboard.press("Shift+Digit8")
    page.keyboard.press("f")
    page.get_by_label("Light at the edges, number").fill("-1")
    page.keyboard.press("Enter")
    page.keyboard.press("Escape")
    box = page.get_by_test_id("picture").bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + 300, box["y"] + 300)
    page.keyboard.press("p")
    pinned = page.get_by_role("complementary", name="Pinned places")
    expect(pinned.get_by_role("row")).to_have_count(1)
    accessible(page)
    # without a pointer: in the middle, and moved by arrow keys to where it shows something else
    page.mouse.move(5, 300)
    page.keyboard.press("p")
    expect(pinned.get_by_role("row")).to_have_count(2)
    second = pinned.get_by_role("row").nth(1)
    expect(second.get_by_role("cell").first).not_to_be_empty()
    values = second.inner_text()
    second.get_by_role("button", name="Place 2, moved").focus()
    for _ in range(8):
        page.keyboard.press("Shift+ArrowRight")
    expect(second).not_to_have_text(values, use_inner_text=True)
    second.get_by_role("button", name="Take place 2 away").click()

    # warnings by channel, gamut, side by side, magnifier: each is drawn and taken back
    for key in ("w", "g", "z", "Shift+S"):
        page.keyboard.press(key)
        drawn(page)
    page.get_by_label("Warnings of").select_option("red")
    drawn(page)
    accessible(page)
    for key in ("w", "g", "z", "Shift+S"):
        page.keyboard.press(key)

    # a named state outlives undo and other changes, and is there after a reload
    page.get_by_role("button", name="History").click()
    page.get_by_label("Name for the current state").fill("first print")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="first print", exact=True)).to_be_visible()
    page.keyboard.press("Escape")
    kept = recipe(context, "TW-0090.dng")
    assert kept["definition"]["sharpen_amount"] == 120 and kept["colour"]["green_saturation"] == 30
    page.get_by_role("button", name="History").click()
    page.get_by_role("button", name="Reset all steps").click()
    expect(page.get_by_role("button", name="Reset all steps")).to_be_disabled()
    page.keyboard.press("Escape")
    drawn(page)
    assert recipe(context, "TW-0090.dng")["definition"]["sharpen_amount"] == 0
    page.keyboard.press("Control+z")
    drawn(page)
    assert recipe(context, "TW-0090.dng") == kept
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    page.keyboard.press("Shift+Digit5")
    page.get_by_role("button", name="Reset step").click()
    drawn(page)
    page.reload()
    drawn(page)
    page.get_by_role("button", name="History").click()
    page.get_by_role("button", name="first print", exact=True).click()
    page.keyboard.press("Escape")
    drawn(page)
    assert recipe(context, "TW-0090.dng") == kept


def test_a_suggestion_for_balance_and_an_end_from_the_data(page: Page, context: Context) -> None:
    opened(page, "TW-0010")
    page.get_by_role("button", name="from data").last.click()
    expect(page.get_by_role("button", name="why")).to_have_count(1, timeout=10_000)
    page.keyboard.press("Shift+Digit2")
    page.get_by_role("button", name="Suggest balance").click()
    page.get_by_role("button", name="Found light").click(timeout=20_000)
    drawn(page)
    expect(page.get_by_label("Temperature, number")).not_to_have_value("as shot")
    page.get_by_role("button", name="Reset step").click()
    expect(page.get_by_label("Temperature, number")).to_have_value("as shot")
