"""In the browser: frames renamed, put into folders and an order by hand, filters that combine, what was taken out; and the
version on the bench is the one that is delivered."""

import re

from playwright.sync_api import Locator, Page, expect

from tests.e2e.conftest import accessible, drawn
from tests.e2e.test_across import cell, choose, series  # noqa: F401
from zincplate.services import arranging, labels, version_list
from zincplate.services.context import Context
from zincplate.store.models import Delivered, Frame, Version


def order(page: Page) -> list[str]:
    return [text.split()[0] for text in page.locator("[data-frame]").all_inner_texts()]


def test_arranged(page: Page, series: dict[str, Version]) -> None:  # noqa: F811
    shoot = series["TW-0800"].frame.shoot_id
    page.goto(f"/shoots/{shoot}")
    expect(page.locator("[data-frame]")).to_have_count(7, timeout=30_000)
    # to the ends by key; with Shift everything on the way is taken
    cell(page, "TW-0803").click()
    page.keyboard.press("Shift+End")
    expect(page.get_by_role("button", name="6 selected")).to_be_visible()  # three frames, and a bracket of three
    page.keyboard.press("Home")
    expect(page.locator("[data-frame][aria-selected=true]")).to_have_count(1)
    expect(cell(page, "TW-0800")).to_have_attribute("aria-selected", "true")
    page.keyboard.press("PageDown")
    expect(cell(page, "TW-0811")).to_have_attribute("aria-selected", "true")

    choose(page, "TW-0801", "TW-0802")
    page.keyboard.press("F2")
    rename = page.get_by_role("dialog", name="Rename 2 frames")
    rename.get_by_label("Name, without the ending").fill("Door")
    expect(rename.get_by_role("alert")).to_contain_text("one name")
    rename.get_by_role("button", name="Put {number} into the name").click()
    rename.get_by_label("first number").fill("7")
    expect(rename.get_by_role("list", name="New names")).to_contain_text("Door 08.dng")
    accessible(page)
    rename.get_by_role("button", name="Rename").click()
    expect(rename).to_be_hidden()
    expect(cell(page, "Door 07")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(cell(page, "TW-0801")).to_be_visible()

    # in the order by hand: dragged, and moved by key
    page.keyboard.press("Alt+ArrowRight")
    expect(page.get_by_text("can be moved when the sheet is ordered")).to_be_visible()
    page.get_by_label("Order of the frames").select_option("hand")
    start, end = cell(page, "TW-0802").bounding_box(), cell(page, "TW-0804").bounding_box()
    assert start and end
    page.mouse.move(start["x"] + 60, start["y"] + 40)
    page.mouse.down()
    page.mouse.move(start["x"] + 80, start["y"] + 45, steps=3)
    page.mouse.move(end["x"] + end["width"] - 20, end["y"] + 40, steps=6)
    page.mouse.up()
    expect(page.locator("[data-frame]").nth(4)).to_contain_text("TW-0802")
    assert order(page)[:6] == ["TW-0800", "TW-0803", "TW-0804", "TW-0801", "TW-0802", "TW-0805"]
    page.keyboard.press("Alt+ArrowLeft")
    expect(page.locator("[data-frame]").nth(3)).to_contain_text("TW-0802")
    assert [i for i, _ in arranging.in_hand_order(shoot)][2] == series["TW-0801"].frame_id
    page.reload()
    expect(page.locator("[data-frame]").nth(3)).to_contain_text("TW-0802")

    # a folder, and filters that combine
    choose(page, "TW-0801", "TW-0802")
    page.get_by_role("button", name="Describe").click()
    page.get_by_role("menuitem", name="Folder").click()
    page.get_by_label("Folder of the shoot; empty for none").fill("doors/left")
    accessible(page)
    page.keyboard.press("Enter")
    expect(cell(page, "TW-0801")).to_contain_text("doors/left")
    page.keyboard.press("k")
    cell(page, "TW-0804").click()
    page.keyboard.press("k")
    page.get_by_role("button", name=re.compile("^kept")).click()
    expect(page.locator("[data-frame]")).to_have_count(3)
    page.get_by_role("button", name="Narrow").click()
    page.get_by_role("combobox", name="Folder", exact=True).select_option("doors")
    page.get_by_role("combobox", name="Adjusted", exact=True).select_option("no")
    page.keyboard.press("Escape")
    expect(page.locator("[data-frame]")).to_have_count(2)
    expect(page.get_by_role("button", name="Narrowed by 2")).to_be_visible()

    # taken out, looked through, brought back and deleted
    cell(page, "TW-0801").click()
    page.keyboard.press("Delete")
    expect(page.locator("[data-frame]")).to_have_count(1)
    cell(page, "TW-0802").click()
    page.keyboard.press("Delete")
    page.get_by_role("button", name="Describe").click()
    page.get_by_role("menuitem", name="What was taken out").click()
    sheet = page.get_by_role("dialog", name="Taken out")
    sheet.get_by_role("checkbox", name=re.compile("TW-0801")).click()
    accessible(page)
    sheet.get_by_role("button", name="Bring back 1").click()
    expect(sheet.get_by_role("checkbox", name=re.compile("TW-0801"))).to_be_hidden()
    sheet.get_by_role("checkbox", name=re.compile("TW-0802")).click()
    sheet.get_by_role("checkbox", name="our copies").click()
    sheet.get_by_role("button", name="Delete 1").click()
    expect(sheet.get_by_role("alert")).to_contain_text("cannot be undone, and deletes 1 original file")
    sheet.get_by_role("button", name="Delete for good").click()
    expect(sheet.get_by_text("No frame was taken out")).to_be_visible()
    assert Frame.get_or_none(Frame.id == series["TW-0802"].frame_id) is None
    assert Frame.get_by_id(series["TW-0801"].frame_id).removed_at is None


def test_the_version_on_the_bench_is_delivered(page: Page, context: Context, series: dict[str, Version]) -> None:  # noqa: F811
    frame = series["TW-0800"].frame
    second = version_list.create(context, frame.id, None, "grey")["id"]
    page.goto(f"/shoots/{frame.shoot_id}/frames/{frame.id}?version={second}")
    drawn(page)
    page.get_by_role("button", name="Deliver", exact=True).click()
    expect(page.get_by_label("versions")).to_have_value("this")
    expect(page.get_by_role("cell", name="TW-0800-v2-web.jpg")).to_be_visible()
    page.get_by_label("versions").select_option("all")
    expect(page.get_by_role("cell", name="TW-0800-web.jpg")).to_be_visible()
    page.get_by_label("versions").select_option("this")
    expect(page.get_by_role("cell", name="TW-0800-web.jpg")).to_be_hidden()
    page.get_by_role("button", name="Deliver 1 file").click()
    ledger = page.get_by_role("region", name="Ledger")
    expect(ledger.get_by_role("cell", name="TW-0800-v2-web.jpg", exact=True)).to_be_visible(timeout=30_000)
    assert [d.version_id for d in Delivered.select()] == [second]


def test_labels_changed_in_two_windows(page: Page, context: Context, series: dict[str, Version]) -> None:  # noqa: F811
    page.goto(f"/shoots/{series['TW-0800'].frame.shoot_id}")
    cell(page, "TW-0803").click()

    def to_change() -> Locator:
        page.get_by_role("button", name="Label", exact=True).click()
        page.get_by_role("menuitem", name="Change the labels").click()
        return page.get_by_role("dialog", name="Labels")

    kept = labels.labels(context.home)
    try:
        dialog = to_change()
        expect(dialog.get_by_label("Label 1", exact=True)).to_have_value("proof")
        labels.set_labels(context.home, [*kept, labels.Label(name="client", ink="teal")])
        dialog.get_by_label("Label 1", exact=True).fill("contact proof")
        dialog.get_by_role("button", name="Take label 4 away").click()
        accessible(page)
        dialog.get_by_role("button", name="Save").click()
        expect(dialog).to_be_hidden()
        expect(to_change().get_by_label("Label 4", exact=True)).to_have_value("client")
        assert [label.name for label in labels.labels(context.home)] == ["contact proof", "print", "web", "client"]
    finally:
        labels.set_labels(context.home, kept)
