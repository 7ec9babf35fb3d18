"""In the browser: on a small window everything that can be pressed is in it, whatever a bar has to say."""

import json
from datetime import UTC, datetime, timedelta
from typing import Any

from playwright.sync_api import Page, expect

from tests.e2e.conftest import drawn
from tests.e2e.test_develop import opened

BEYOND = """() => [...document.querySelectorAll("header, footer, aside, nav, [role=toolbar], [role=toolbar] ~ *")]
  .flatMap((bar) => [...bar.querySelectorAll("button, a, select, input")])
  .filter((one) => one.checkVisibility())
  .filter((one) => {
    const { left, right } = one.getBoundingClientRect();
    return left < -0.5 || right > innerWidth + 0.5;
  })
  .map((one) => one.getAttribute("aria-label") ?? one.textContent)"""


def camera_at_work(shoot: int) -> dict[str, Any]:
    """A job as the page is told of it, with many frames to come."""
    begun = (datetime.now(UTC) - timedelta(minutes=9)).replace(tzinfo=None).isoformat()
    return {
        "id": "camera", "kind": "camera", "title": "The camera takes frames", "state": "running", "progress": 0.5, "note": "",
        "result": None, "shoot": shoot, "files": 2095, "files_done": 1054, "created_at": begun, "changed_at": begun,
    }  # fmt: skip


def test_nothing_to_press_is_cut_off(page: Page) -> None:
    page.set_viewport_size({"width": 1024, "height": 700})
    opened(page, "TW-0090")
    steps = page.get_by_role("navigation", name="Steps").get_by_role("button")
    for step in range(8):
        steps.nth(step).click()
        drawn(page)
        assert page.evaluate(BEYOND) == []
    page.get_by_role("banner").get_by_text("Develop", exact=True).click()
    grid = page.get_by_role("grid")
    expect(grid.get_by_role("gridcell")).to_have_count(3)
    # three frames have little to say below: as narrow as it gets with a thousand of them
    page.set_viewport_size({"width": 900, "height": 700})
    page.keyboard.press("Control+a")
    expect(page.get_by_role("contentinfo").get_by_role("button", name="Deliver 3")).to_be_visible()
    assert page.evaluate(BEYOND) == []
    page.set_viewport_size({"width": 1024, "height": 700})
    told = f"data: {json.dumps({'jobs': [camera_at_work(int(page.url.split('/shoots/')[1].split('/')[0]))]})}\n\n"
    page.route("**/api/events*", lambda route: route.fulfill(body=told, content_type="text/event-stream"))
    page.reload()
    expect(page.get_by_role("status").filter(has_text="1054 of 2095 taken")).to_be_visible()
    assert page.evaluate(BEYOND) == []
    page.keyboard.press("Control+a")
    page.get_by_role("contentinfo").get_by_role("button", name="Deliver 3").click()
    expect(page.get_by_role("button", name="Deliver 3 files")).to_be_visible()
    assert page.evaluate(BEYOND) == []
