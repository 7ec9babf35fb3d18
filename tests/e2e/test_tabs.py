"""Eight tabs of one browser: all are served, and all hear of jobs."""

from playwright.sync_api import Page, expect

from tests.conftest import Stack
from zincplate.services import work
from zincplate.services.context import Context

TABS = 8


def test_eight_tabs_work_and_hear_of_jobs(page: Page, stack: Stack, context: Context) -> None:
    others = [page.context.new_page() for _ in range(TABS - 1)]
    for tab in (page, *others):
        tab.goto("/")
        expect(tab.get_by_role("heading", level=1)).to_be_visible()
    # a browser has six connections to a server: a ninth request would wait for ever if each tab kept one
    for tab in (page, *others):
        assert tab.evaluate("fetch('/api/shoots').then((answer) => answer.status)") == 200
    row, owner = work.outside("camera", "Camera: 4 frames", files=4)
    work.report(row.id, owner, 0.5, "TW-0002, 2 of 4")
    for tab in (page, *others):
        expect(tab.get_by_role("button", name="job", exact=False)).to_contain_text("50", timeout=15_000)
    # the one that listened for all of them ends: another goes on
    page.goto("about:blank")
    work.report(row.id, owner, 0.75, "TW-0003, 3 of 4")
    for tab in others:
        expect(tab.get_by_role("button", name="job", exact=False)).to_contain_text("75", timeout=15_000)
    work.finish(row.id, owner, "done")
