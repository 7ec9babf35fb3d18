"""In the browser: straighten, uprights, corners, lines, crop to 4:5, and delivery of exactly those pixels; by keyboard too."""

import json
import re
from pathlib import Path

from PIL import Image
from playwright.sync_api import Page, expect

from tests.conftest import Stack
from tests.e2e.conftest import accessible, drawn
from tests.e2e.test_develop import opened, recipe
from zincplate.cli.demo_data import LENSES
from zincplate.services.context import Context

MINUS = "\N{MINUS SIGN}"


def framing(context: Context) -> dict[str, object]:
    """What is saved."""
    return recipe(context, "TW-0001.dng")["framing"]


def number(page: Page, label: str) -> float:
    return float(page.get_by_label(f"{label}, number").input_value().replace(MINUS, "-"))


def size(page: Page) -> tuple[int, int]:
    """Pixels of the result as the page tells them."""
    drawn(page)
    found = re.search(r"(\d+) \u00d7 (\d+)", page.get_by_test_id("result-size").inner_text())
    assert found
    return int(found[1]), int(found[2])


def drag(page: Page, start: tuple[float, float], end: tuple[float, float]) -> None:
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move((start[0] + end[0]) / 2, (start[1] + end[1]) / 2, steps=3)
    page.mouse.move(*end, steps=3)
    page.mouse.up()


def middle(page: Page, name: str) -> tuple[float, float]:
    box = page.get_by_role("button", name=name, exact=True).bounding_box()
    assert box
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def test_level_plumb_square_and_cropped(page: Page, context: Context, stack: Stack, tmp_path: Path) -> None:
    stack.home.lenses.mkdir(exist_ok=True)
    (stack.home.lenses / LENSES.name).write_bytes(LENSES.read_bytes())
    opened(page, "TW-0001")
    page.keyboard.press("Shift+Digit1")
    expect(page.get_by_test_id("plane")).to_be_visible()
    assert size(page) == (3000, 2000)
    accessible(page)

    # one line along something that leans by about five degrees
    page.get_by_role("button", name="Straighten by a line").click()
    drag(page, (593, 463), (578, 293))
    expect(page.get_by_label("Angle, number")).not_to_have_value("0.00")
    assert 3 < abs(number(page, "Angle")) < 8
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_label("Angle, number")).to_have_value("0.00")

    # suggested from the lines in the picture
    page.get_by_role("button", name="Suggest framing").click()
    proposals = page.get_by_role("region", name="Suggestions")
    proposals.get_by_role("button", name="Uprights parallel").click(timeout=20_000)
    page.get_by_role("button", name="Movements").click()
    expect(page.get_by_label("Tilt, number")).not_to_have_value("0.00")
    assert 14 < number(page, "Tilt") < 17 and 1.5 < number(page, "Angle") < 3
    assert size(page)[0] < 3000
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_label("Tilt, number")).to_have_value("0.00")
    proposals.get_by_role("button", name="Close").click()

    # two drawn lines are solved together; an end is moved by keyboard
    page.get_by_role("button", name="Draw lines").click()
    drag(page, (470, 330), (458, 600))
    drag(page, (930, 390), (950, 560))
    expect(page.get_by_role("list", name="Drawn lines").get_by_role("listitem")).to_have_count(2)
    drawn(page)
    tilt = number(page, "Tilt")
    assert tilt > 3
    accessible(page)
    page.get_by_role("button", name="Line 2, end", exact=True).focus()
    for _ in range(3):
        page.keyboard.press("Shift+ArrowLeft")
    drawn(page)
    assert number(page, "Tilt") != tilt
    page.get_by_role("region", name="Movements").get_by_role("button", name="Reset").click()
    expect(page.get_by_role("list", name="Drawn lines").get_by_role("listitem")).to_have_count(0)
    # and added without a pointer, where it changes nothing yet
    page.get_by_role("button", name="+ plumb line").click()
    expect(page.get_by_role("list", name="Drawn lines").get_by_role("listitem")).to_have_count(1)
    assert abs(number(page, "Angle")) < 0.05
    page.get_by_role("button", name="Remove line 1").click()
    page.get_by_role("region", name="Movements").get_by_role("button", name="Reset").click()
    expect(page.get_by_label("Tilt, number")).to_have_value("0.00")

    # a corner: Esc takes a pull back, the keyboard makes one
    page.get_by_role("button", name="Corners").click()
    page.get_by_role("button", name="Pull corners").click()
    drawn(page)
    x, y = middle(page, "Corner, upper left")
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 40, y + 20, steps=4)
    page.keyboard.press("Escape")
    page.mouse.up()
    drawn(page)
    assert not any(framing(context)["corners"])  # type: ignore[arg-type]
    page.get_by_role("button", name="Corner, upper right", exact=True).focus()
    page.keyboard.press("Shift+ArrowLeft")
    drawn(page)
    assert framing(context)["corners"][2] < 0  # type: ignore[index]
    accessible(page)
    page.get_by_role("region", name="Corners").get_by_role("button", name="Reset").click()

    # the lens that the file names
    page.get_by_role("button", name="Lens", exact=True).click()
    page.get_by_label("Lens profile").select_option("auto")
    expect(page.get_by_label("Distortion, number")).to_have_value("100")
    accessible(page)

    # an edge is measured without a pointer, and taken back
    page.get_by_role("button", name="Measure a bent edge").click()
    for _ in range(4):
        page.get_by_role("button", name="+ point").click()
    for point in (2, 3):
        page.get_by_role("button", name=f"Point {point} of the bent edge").focus()
        for _ in range(2):
            page.keyboard.press("ArrowDown")
    page.get_by_role("button", name="take the last back").click()
    expect(page.get_by_role("button", name="Point 4 of the bent edge")).to_have_count(0)
    page.get_by_role("button", name="Make straight").click()
    expect(page.get_by_label("Bend, number")).not_to_have_value("0.00")
    drawn(page)
    assert framing(context)["bend"] and len(framing(context)["bent_lines"]) == 1  # type: ignore[arg-type]
    page.get_by_role("button", name="Remove the measured edge").click()
    drawn(page)
    page.get_by_role("button", name="Measure a bent edge").click()
    page.get_by_label("Lens profile").select_option("auto")

    # 4:5, typed; an edge by keyboard, a corner by hand
    page.get_by_label("Ratio", exact=True).select_option("typed")
    page.get_by_label("Typed ratio").fill("4:5")
    page.keyboard.press("Enter")
    width, height = size(page)
    assert abs(width / height - 0.8) < 0.001
    page.get_by_role("button", name="Pull corners").scroll_into_view_if_needed()
    page.get_by_role("button", name="Crop, left", exact=True).focus()
    for _ in range(2):
        page.keyboard.press("Shift+ArrowRight")
    narrower = size(page)
    assert narrower[0] < width and abs(narrower[0] / narrower[1] - 0.8) < 0.001
    grip = middle(page, "Crop, bottom right")
    drag(page, grip, (grip[0] - 60, grip[1] - 75))
    smaller = size(page)
    assert smaller[0] < narrower[0] and abs(smaller[0] / smaller[1] - 0.8) < 0.001
    page.get_by_role("button", name="+ upright").click()
    expect(page.get_by_label("Guide 1, percent")).to_have_value("50")

    # the other steps show the finished picture, opening framing again the whole
    page.keyboard.press("Shift+Digit3")
    drawn(page)
    expect(page.get_by_role("contentinfo")).to_contain_text(f"{smaller[0]} \u00d7 {smaller[1]}")
    page.keyboard.press("Shift+Digit1")
    drawn(page)
    assert size(page) == smaller
    plane = page.get_by_test_id("plane").bounding_box()
    left, right = middle(page, "Crop, left")[0], middle(page, "Crop, right")[0]
    assert plane and right - left < 0.5 * plane["width"]

    # and is delivered in exactly those pixels
    page.get_by_role("banner").get_by_role("button", name="Deliver").click()
    page.get_by_role("checkbox", name="JPEG, full size").check()
    page.get_by_role("checkbox", name="JPEG for the web").uncheck()
    expect(page.get_by_role("main")).to_contain_text(f"{smaller[0]} \u00d7 {smaller[1]}")
    page.get_by_role("button", name="Deliver 1 file").click()
    link = page.get_by_role("link", name="Download TW-0001.jpg")
    expect(link).to_be_visible(timeout=60_000)
    with page.expect_download() as file:
        link.click()
    with Image.open(file.value.path()) as delivered:
        assert delivered.size == smaller


LATE = """
(() => {
  const direct = window.fetch.bind(window);
  window.fetch = async (request, init) => {
    const url = typeof request === 'string' ? request : request.url;
    const answer = await direct(request, init);
    const late = /\\/framing$/.test(url) ? 500 : /\\/view$/.test(url) ? 900 : 0;
    if (late) await new Promise((done) => setTimeout(done, late));
    return answer;
  };
})();
"""


def test_lines_that_are_drawn_faster_than_answers_come_are_all_kept(page: Page, context: Context) -> None:
    page.add_init_script(LATE)
    opened(page, "TW-0010")
    page.keyboard.press("Shift+Digit1")
    drawn(page)
    page.get_by_role("button", name="Movements").click()
    page.get_by_role("button", name="Draw lines").click()
    # the second while the answer to the first is on its way, the third when it has come but its picture has not
    drag(page, (470, 330), (458, 600))
    page.wait_for_timeout(200)
    drag(page, (930, 390), (950, 560))
    page.wait_for_timeout(1300)
    drag(page, (480, 300), (900, 310))
    lines = page.get_by_role("list", name="Drawn lines").get_by_role("listitem")
    expect(lines).to_have_count(3)
    drawn(page)
    expect(lines).to_have_count(3)
    saved = recipe(context, "TW-0010.dng")["framing"]["drawn_lines"]
    assert [line["along"] for line in saved] == ["plumb", "plumb", "level"]
    # two quick turns are two
    page.get_by_role("button", name="Turn right").dblclick()
    drawn(page)
    assert recipe(context, "TW-0010.dng")["framing"]["quarter_turn"] == "180"


def test_framing_that_makes_no_picture_is_refused_and_nothing_is_lost(page: Page, context: Context) -> None:
    opened(page, "TW-0090")
    page.keyboard.press("Shift+Digit1")
    page.get_by_role("button", name="Lens", exact=True).click()
    field = page.get_by_label("Bend, number")
    field.fill("-20")
    field.press("Enter")
    edge = page.get_by_label("Bend at the edge, number")
    edge.fill("-20")
    edge.press("Enter")
    expect(page.get_by_text("folds the picture over itself").first).to_be_visible()
    expect(edge).to_have_value("0.00", timeout=10_000)
    saved = recipe(context, "TW-0090.dng")["framing"]
    assert saved["bend_edge"] == 0, json.dumps(saved)
