"""In the browser: a hand that lets go on a large window is shown the sharp picture, without another reduced one before."""

import pytest
from playwright.sync_api import Page, expect

from tests.e2e.conftest import drawn
from tests.e2e.test_develop import opened
from tests.e2e.test_framing import middle

# pictures that were asked for, whether they are reduced, when, and whether their answer came; and when the hand let go
WATCH = """() => {
  window.pictures = [];
  addEventListener("pointerup", () => (window.let_go = performance.now()), true);
  const direct = window.fetch;
  window.fetch = async (request, init) => {
    if (!/\\/view$/.test(typeof request === "string" ? request : request.url)) return direct(request, init);
    const one = { quick: JSON.parse(init.body).quick === true, at: performance.now(), came: false };
    window.pictures.push(one);
    const answer = await direct(request, init);
    // late, so that one is on its way and the next one waits for it when the hand lets go
    if (one.quick) await new Promise((done) => setTimeout(done, 120));
    one.came = true;
    return answer;
  };
}"""


@pytest.mark.parametrize(("step", "gauge"), [("Tone", "Exposure"), ("Framing", "Angle")])
def test_the_sharp_picture_follows_at_once(page: Page, step: str, gauge: str) -> None:
    # so large that what moves is reduced from the first picture on, however quick the machine
    page.set_viewport_size({"width": 2560, "height": 1440})
    opened(page, "TW-0090")
    page.get_by_role("navigation", name="Steps").get_by_role("button", name=step).click()
    drawn(page)
    page.evaluate(WATCH)
    large = page.get_by_role("main").locator("canvas").first
    box = page.get_by_role("slider", name=gauge, exact=True).bounding_box()
    assert box is not None
    x, y = box["x"] + box["width"] / 2, box["y"] + 12
    page.mouse.move(x, y)
    page.mouse.down()
    hidden = 0
    for i in range(1, 25):
        page.mouse.move(x + i, y)
        page.wait_for_timeout(30)
        hidden += large.is_hidden()
    # a canvas of the window's size is copied for every frame of the screen: it is away while smaller pictures stand for it
    assert hidden > 5
    # still on its way when it lets go: the last values have not been asked for yet
    for i in range(25, 29):
        page.mouse.move(x + i, y)
    page.mouse.up()
    drawn(page)
    assert page.evaluate("pictures.some(one => one.quick && one.at < let_go)")
    after = page.evaluate("pictures.filter(one => one.at > let_go && one.came)")  # one that was called off is none
    assert not [one for one in after if one["quick"]]
    # the framing step brings the whole of the turned picture into sight with it
    page.wait_for_timeout(1200)  # longer than what rests is left alone
    drawn(page)
    assert len(page.evaluate("pictures.filter(one => one.at > let_go && one.came)")) == len(after) == 1
    expect(large).to_be_visible()


def test_a_corner_of_the_crop_that_is_let_go_makes_one_full_picture(page: Page) -> None:
    """It lies where it lay: what comes sharp later than the picture rests is not made a second time."""
    page.set_viewport_size({"width": 2560, "height": 1440})
    opened(page, "TW-0090")
    page.get_by_role("navigation", name="Steps").get_by_role("button", name="Framing").click()
    drawn(page)
    page.evaluate(WATCH)
    x, y = middle(page, "Crop, bottom right")
    page.mouse.move(x, y)
    page.mouse.down()
    for i in range(1, 12):
        page.mouse.move(x - 6 * i, y - 4 * i)
        page.wait_for_timeout(30)
    page.mouse.up()
    page.wait_for_timeout(1500)  # longer than what rests is left alone
    drawn(page)
    assert len(page.evaluate("pictures.filter(one => one.at > let_go && one.came && !one.quick)")) == 1
