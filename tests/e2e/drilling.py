"""What the drills in the browser begin with: frames, two tabs of one photographer, and answers that come late."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from playwright.sync_api import Browser, Page

from tests.conftest import Stack, small_dng
from tests.e2e.conftest import COUNTED
from tests.services.test_use_cases import run_jobs
from zincplate.services import bring_in, shoots
from zincplate.services.context import Context
from zincplate.store.models import Frame, Shoot, Version

LATE = """
(() => {
  let state = %d;
  const chance = () => (state = (state * 48271) %% 2147483647) / 2147483647;
  const direct = window.fetch.bind(window);
  window.fetch = async (request, init) => {
    const url = typeof request === 'string' ? request : request.url;
    const answer = await direct(request, init);
    if (/\\/api\\/versions\\//.test(url)) await new Promise((done) => setTimeout(done, chance() ** 2 * %d));
    return answer;
  };
})();
"""


def drilled(context: Context, folder: Path, name: str, count: int, seed: int) -> list[Version]:
    """Versions of the frames of a new shoot, in the order they were taken."""
    for i in range(count):
        captured = f"2026-05-12T07:{i:02d}:09.250"
        (folder / f"TW-08{i:02d}.dng").write_bytes(small_dng(seed=seed + i, captured_at=captured))
    shoot = shoots.create(name)
    bring_in.start(context, shoot, bring_in.files_in(folder), develop_small=False)
    run_jobs(context)
    return list(Version.select().join(Frame).join(Shoot).where(Shoot.id == shoot.id).order_by(Frame.captured_at))


@contextmanager
def two_tabs(browser: Browser, stack: Stack, first: Version, late: str) -> Iterator[tuple[Page, Page]]:
    """Two tabs, the first with a frame open and a script (:data:`LATE`) that holds answers back; no error may come up in it."""
    tabs = browser.new_context(viewport={"width": 1280, "height": 800}, reduced_motion="reduce", base_url=stack.url)
    tabs.add_init_script(COUNTED)
    page, other = tabs.new_page(), tabs.new_page()
    problems: list[str] = []
    page.on("pageerror", lambda e: problems.append(str(e)))
    page.add_init_script(late)
    page.goto(f"/shoots/{first.frame.shoot_id}/frames/{first.frame_id}")
    yield page, other
    assert not problems, problems
    tabs.close()
