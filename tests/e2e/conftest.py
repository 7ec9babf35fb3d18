"""A browser on a running installation with three frames on the card."""

import os
import re
import shutil
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright
from tools.random_hands import COUNTED

from tests.conftest import Stack, demo_dng
from zincplate.demo.frames import FRAMES
from zincplate.services.context import Context
from zincplate.store.models import Version

AXE = Path("web/node_modules/axe-core/axe.min.js")
ARGUMENTS = [
    "--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage", "--disable-background-networking", "--disable-component-update",
    "--disable-sync", "--no-first-run", "--force-color-profile=srgb", "--font-render-hinting=none", "--disable-lcd-text",
]  # fmt: skip
TAKEN = ("TW-0001.dng", "TW-0010.dng", "TW-0090.dng")
# nothing is asked, saved or drawn any more: in the page's own time, which is late where the machine is
QUIET = """(held) => new Promise((done, failed) => {
  const begun = performance.now();
  let since = begun;
  let frames = 0;
  const look = () => {
    const waiting = Object.keys(localStorage).some(key => key.includes("waiting"));
    if (window.unanswered > held || waiting || document.querySelector("[aria-busy=true]")) {
      since = performance.now();
      frames = 0;
    } else frames += 1;
    if (frames > 8 && performance.now() - since > 400) done(true);
    else if (performance.now() - begun > 40_000)
      failed(new Error(`not quiet: ${window.unanswered} unanswered, waiting ${waiting}, or drawing`));
    else requestAnimationFrame(look);
  };
  look();
})"""


@pytest.fixture(scope="module")
def browser() -> Iterator[Browser]:
    """Debian's Chromium."""
    with sync_playwright() as playwright:
        path = os.environ.get("CHROMIUM", "/usr/bin/chromium")
        chromium = playwright.chromium.launch(executable_path=path, headless=True, args=ARGUMENTS)
        yield chromium
        chromium.close()


@pytest.fixture
def page(browser: Browser, stack: Stack, context: Context) -> Iterator[Page]:
    """A page on an empty library with three frames on the card; no error may appear in its console."""
    card = stack.home.card / "DCIM" / "100TILES"
    card.mkdir(parents=True, exist_ok=True)
    for frame in FRAMES:
        if frame.name in TAKEN and not (card / frame.name).exists():
            (card / frame.name).write_bytes(demo_dng(frame.number))
    (card / "TW-0091.dng").write_bytes((card / "TW-0090.dng").read_bytes()[:100_000])
    view = browser.new_context(viewport={"width": 1280, "height": 800}, reduced_motion="reduce", base_url=stack.url)
    view.add_init_script(COUNTED)
    opened = view.new_page()
    problems: list[str] = []
    opened.on("pageerror", lambda e: problems.append(str(e)))
    opened.on("console", lambda m: problems.append(m.text) if m.type == "error" and not re.search("409|422", m.text) else None)
    yield opened
    view.close()
    shutil.rmtree(stack.home.card)
    assert not problems, problems


def accessible(page: Page) -> None:
    """No finding of axe in any rule set of WCAG 2.2 A and AA."""
    page.evaluate(AXE.read_text())
    found = page.evaluate("axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22a', 'wcag22aa']})")
    serious = [(v["id"], v["nodes"][0]["html"]) for v in found["violations"]]
    assert not serious, serious


def drawn(page: Page, held: int = 0) -> None:
    """Until the newest picture has come, every answer is there (but for as many as are held back) and saving is over."""
    expect(page.get_by_role("contentinfo")).to_contain_text("drawn in", timeout=20_000)
    page.evaluate(QUIET, held)


def saved(version: Version, holds: Callable[[Version], bool], seconds: float = 20) -> Version:
    """Until the saved state of a version is as it should be."""
    end = time.monotonic() + seconds
    while not holds(found := Version.get_by_id(version.id)):
        assert time.monotonic() < end, (found.revision, found.position, found.recipe)
        time.sleep(0.05)
    return found
