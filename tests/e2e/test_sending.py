"""In the browser: files chosen from this machine are sent and brought in; what is called off is not."""

import re
from pathlib import Path

from playwright.sync_api import Page, Route, expect

from tests.conftest import small_dng
from tests.e2e.conftest import accessible
from zincplate.services.context import Context
from zincplate.store.models import Frame, Shoot


def test_sent_called_off_and_sent_again(page: Page, context: Context, tmp_path: Path) -> None:
    files = []
    for i in range(3):
        files.append(tmp_path / f"TW-095{i}.dng")
        files[-1].write_bytes(small_dng(seed=20 + i, captured_at=f"2026-05-12T07:08:0{i}"))
    page.goto("/")
    banner = page.get_by_role("banner")
    banner.get_by_role("button", name="Bring in").click()
    dialog = page.get_by_role("dialog", name="Bring in")

    def chosen(name: str) -> None:
        dialog.get_by_text("Files, dropped or chosen").click()
        dialog.get_by_label("Files", exact=True).set_input_files(files)
        dialog.get_by_label("Name of the new shoot").fill(name)

    # the second file is long under way
    held: list[Route] = []
    page.route(re.compile("/api/uploads/.*0951"), lambda route: held.append(route))
    chosen("Called off")
    press = dialog.get_by_role("button", name="Bring in")
    press.click()
    expect(dialog.get_by_text("1 of 3 files sent")).to_be_visible()
    accessible(page)
    # neither a press beside it nor Esc ends it, nor does another press send all of them twice
    page.mouse.click(8, 500)
    page.keyboard.press("Escape")
    press.dispatch_event("click")
    expect(dialog.get_by_text("1 of 3 files sent")).to_be_visible()
    assert len(held) == 1
    dialog.get_by_role("button", name="Cancel").click()
    expect(dialog).to_be_hidden()
    page.unroute(re.compile("/api/uploads/.*0951"))
    page.wait_for_timeout(800)
    expect(page).to_have_url(re.compile("/$"))
    assert Shoot.get_or_none(Shoot.name == "Called off") is None

    # a server that refuses one is told, and the files are still chosen
    page.route(re.compile("/api/uploads/.*0952"), lambda route: route.fulfill(status=422, json={"error": "The disk is full."}))
    banner.get_by_role("button", name="Bring in").click()
    chosen("Sent")
    press.click()
    expect(dialog.get_by_role("alert")).to_have_text("The disk is full.")
    page.unroute(re.compile("/api/uploads/.*0952"))
    press.click()
    expect(page.locator("[data-frame]")).to_have_count(3, timeout=60_000)
    assert sorted(f.name for f in Frame.select()) == [f.name for f in files]
