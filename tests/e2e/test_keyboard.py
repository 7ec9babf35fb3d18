"""From the shoots page to a downloaded file with the keyboard alone: focus is never lost, unseen or trapped."""

import re

from playwright.sync_api import Page, expect

from tests.e2e.conftest import accessible, drawn, saved
from zincplate.services.context import Context
from zincplate.store.models import Frame, Version

FOCUSED = """() => {
  const e = document.activeElement;
  if (!e || e === document.body) return null;
  const owner = e.getAttribute('aria-activedescendant');
  const labelled = (x) => x.labels && x.labels[0] && x.labels[0].innerText;
  const label = (x) => x.getAttribute('aria-label') || labelled(x) || x.innerText || x.tagName;
  return { name: label(owner ? document.getElementById(owner) || e : e).trim(), tag: e.tagName, role: e.getAttribute('role') };
}"""
SEEN = """() => {
  const e = document.activeElement;
  const box = e.getBoundingClientRect();
  const style = getComputedStyle(e);
  const outlined = style.outlineStyle !== 'none' && parseFloat(style.outlineWidth) >= 1.5;
  const own = e.matches('input[type=text], input:not([type]), [role=grid], [data-place-start], svg *, input[type=file]');
  const inside = box.right > 0 && box.bottom > 0 && box.left < innerWidth && box.top < innerHeight;
  return { outlined: outlined || own, inside, html: e.outerHTML.slice(0, 160) };
}"""


def focused(page: Page) -> str:
    """Name of what has the keyboard; it has to be something that can be seen."""
    found = page.evaluate(FOCUSED)
    for _ in range(20):  # what closes gives the keyboard back once it is gone
        if found is not None:
            break
        page.wait_for_timeout(50)
        found = page.evaluate(FOCUSED)
    assert found is not None, "the keyboard is nowhere"
    seen = page.evaluate(SEEN)
    assert seen["outlined"] and seen["inside"], seen
    return str(found["name"])


def keyboard_at(page: Page, name: str) -> None:
    """Until something whose name begins so has the keyboard."""
    for _ in range(100):
        found = focused(page)
        if found.startswith(name):
            return
        page.wait_for_timeout(50)
    raise AssertionError(f"{name} does not get the keyboard; {found} has it")


def tab_to(page: Page, name: str, most: int = 60, back: bool = False) -> None:
    """Tab until something of a name has the keyboard."""
    passed = []
    for _ in range(most):
        page.keyboard.press("Shift+Tab" if back else "Tab")
        passed.append(focused(page))
        if re.search(name, passed[-1]):
            return
    raise AssertionError(f"{name} is not reached; passed {passed}")


def test_from_the_shoots_page_to_a_download_by_keyboard(page: Page, context: Context) -> None:
    page.goto("/")
    expect(page.get_by_role("heading", name="Shoots")).to_be_visible()
    tab_to(page, "^Bring in$")
    # the dialog: nothing behind it is reached, Esc gives the keyboard back
    page.keyboard.press("Enter")
    expect(page.get_by_role("dialog")).to_be_visible()
    for _ in range(9):
        page.keyboard.press("Tab")
        focused(page)
        assert page.evaluate("document.querySelector('[role=dialog]').contains(document.activeElement)")
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_have_count(0)
    keyboard_at(page, "Bring in")
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_have_count(0)
    keyboard_at(page, "Bring in")
    page.keyboard.press("Enter")
    tab_to(page, "Name of the new shoot")
    page.keyboard.type("By hand")
    tab_to(page, "^Bring in$")
    page.keyboard.press("Enter")

    # the sheet has the keyboard as soon as it is there: arrows, marks, Enter
    expect(page.locator("[data-frame]")).to_have_count(3, timeout=60_000)
    assert focused(page)
    expect(page.get_by_role("grid")).to_be_focused()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("k")
    expect(page.get_by_role("gridcell", name=" keep")).to_have_count(1)
    accessible(page)
    page.keyboard.press("ArrowLeft")
    page.wait_for_timeout(200)
    name = focused(page).split()[0]
    page.keyboard.press("Enter")

    # the bench: from the picture to a gauge, values, undo to its end and further
    drawn(page)
    assert focused(page)
    page.keyboard.press("Shift+Digit3")
    page.get_by_role("complementary", name="Controls").get_by_role("switch").focus()
    tab_to(page, "^Exposure, number$")
    page.keyboard.type("0,4")
    page.keyboard.press("Enter")
    page.keyboard.press("ArrowUp")
    expect(page.get_by_label("Exposure, number")).to_have_value("+0.45")
    version = Version.get(Version.frame == Frame.get(Frame.name == f"{name}.dng"))
    saved(version, lambda v: v.recipe["tone"]["exposure_ev"] == 0.45)
    for _ in range(3):
        page.keyboard.press("Control+z")
        keyboard_at(page, "Exposure, number")
    expect(page.get_by_label("Exposure, number")).to_have_value("0.00")
    page.keyboard.press("Control+Shift+z")
    # what is not typed is the bench's: the next frame, with the keyboard where it was
    page.keyboard.press("Enter")
    page.keyboard.press("ArrowRight")
    expect(page.get_by_role("banner")).not_to_contain_text(name)
    expect(page.get_by_role("complementary", name="Controls").locator("[aria-busy=true]")).to_have_count(0)
    page.wait_for_timeout(300)
    keyboard_at(page, "Exposure, number")
    page.keyboard.press("Enter")
    page.keyboard.press("ArrowLeft")
    expect(page.get_by_role("banner")).to_contain_text(name)
    page.wait_for_timeout(300)
    keyboard_at(page, "Exposure, number")

    # a point of the curve without a pointer
    tab_to(page, r"^\+ point$")
    page.keyboard.press("Enter")
    keyboard_at(page, "Point 2, input 128")
    page.keyboard.press("Shift+ArrowUp")
    saved(version, lambda v: len(v.recipe["tone"]["curve_rgb"]) == 3 and v.recipe["tone"]["curve_rgb"][1][1] > 0.53)
    page.keyboard.press("Delete")
    saved(version, lambda v: len(v.recipe["tone"]["curve_rgb"]) == 2)
    focused(page)

    # undo to the end: the button keeps the keyboard when there is nothing more
    tab_to(page, "^Undo$", back=True, most=90)
    for _ in range(6):
        page.keyboard.press("Enter")
        keyboard_at(page, "Undo")
    expect(page.get_by_role("button", name="Undo")).to_be_disabled()
    tab_to(page, "^Redo$")
    page.keyboard.press("Enter")
    tab_to(page, "^History$")
    page.keyboard.press("Enter")
    expect(page.get_by_label("History", exact=True)).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_role("button", name="History", exact=True)).to_be_focused()

    # the picture alone, and back
    page.keyboard.press("b")
    expect(page.get_by_role("banner")).to_have_count(0)
    expect(page.get_by_test_id("picture")).to_be_visible()
    assert page.evaluate(FOCUSED) is not None
    page.keyboard.press("b")
    expect(page.get_by_role("banner")).to_be_visible()
    page.keyboard.press("Tab")
    focused(page)

    # and out
    page.get_by_role("banner").get_by_role("button", name="Undo").focus()
    tab_to(page, "^Deliver$")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="How")).to_be_visible()
    focused(page)
    tab_to(page, "JPEG for the web")
    expect(page.get_by_role("button", name="Deliver 1 file")).to_be_visible()  # how many is told by the server
    tab_to(page, "^Deliver 1 file$", back=True)
    page.keyboard.press("Enter")
    link = page.get_by_role("link", name=f"Download {name}-web.jpg")
    expect(link).to_be_visible(timeout=60_000)
    tab_to(page, "^Download", most=90)
    with page.expect_download() as download:
        page.keyboard.press("Enter")
    assert download.value.suggested_filename == f"{name}-web.jpg"
