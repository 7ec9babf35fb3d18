"""Random hands in headless Chromium on a running Zincplate: presses, strokes, keys and typed values on one step of one frame.

``.venv/bin/python tools/random_hands.py http://127.0.0.1:8700/shoots/1/frames/5 passes --seed 3 --actions 150``

Without a step the address may be any place (sheet, carry, merge table, delivery desk).

After every dozen actions the page is read again: on a frame, its picture and panel have to be what they were. Told are errors
of the page, answers that say no, answers later than three seconds, a keyboard that is nowhere, and a page that does not come to
rest. The frame is changed; take one of a library that may be.
"""

import argparse
import difflib
import io
import random
import re
import time
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image
from playwright.sync_api import Page, Request, Response, sync_playwright

ARGUMENTS = ["--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage", "--disable-background-networking", "--no-first-run"]
ROUND = 12
SLOW_S = 3.0
KEYS = [
    *"hjkbefoasnxvcdgilmpqrtuwyz150",
    *("Escape", "Enter", "Delete", "Backspace", "Space", "Tab", "Shift+Tab", "Home", "End", "PageDown", "Minus", "Equal"),
    *("BracketLeft", "BracketRight", "Shift+BracketRight", "Comma", "Period", "Control+z", "Control+Shift+z"),
    *("ArrowLeft", "ArrowRight", "ArrowUp", "ArrowDown", "Shift+ArrowRight"),
]
TYPED = ["12", "-30", "0", "99", "1.5", "abc", "", "Vault", "7,5", "-", "1e3", "Wände"]
LEAD_AWAY = re.compile("Deliver|Carry|Download|Bring in|Shoots|Side by side|All frames|Keys|History|Versions|Presets|Facts")
"""Names of what is not pressed: other places and drawers."""
VALUES = re.compile("textbox|switch|checkbox|radio")
LOOKED_AT = re.compile(
    'of the point|nput |utput |Middle, number|radio "(delivery|sensor|linear|log|RGB|R|G|B|lum.|Curve|Levels)"'
)
"""What of a panel is the frame's; what is looked at (a channel, a histogram) is the page's."""
COUNTED = """(() => {
  const direct = window.fetch.bind(window);
  window.unanswered = 0;
  window.fetch = (...asked) => {
    window.unanswered += 1;
    return direct(...asked).finally(() => { window.unanswered -= 1; });
  };
})()"""
"""Counts the questions to the program that have no answer yet."""
AT_REST = """() => window.unanswered === 0 && !document.querySelector('[aria-busy=true]')
  && !Object.keys(localStorage).some((key) => key.includes('waiting'))"""
WITHIN_REACH = """() => {
  const places = 'aside[aria-label=Controls], main, [role=dialog], [role=menu], [role=listbox], [role=toolbar]';
  const things = 'button, input, select, textarea, [role=slider], [role=switch], [role=menuitem], [role=option], [role=radio]';
  const found = [...document.querySelectorAll(places)].flatMap((place) => [...place.querySelectorAll(things)]);
  window.reached = [...new Set(found)].filter((e) => {
    const box = e.getBoundingClientRect();
    return !e.disabled && box.width > 1 && box.height > 1 && getComputedStyle(e).visibility !== 'hidden';
  });
  return window.reached.map((e) => ({
    tag: e.tagName, role: e.getAttribute('role') ?? '', type: e.type ?? '', options: e.options?.length ?? 0,
    name: (e.getAttribute('aria-label') ?? e.innerText ?? '').slice(0, 60),
  }));
}"""
CENTRE = """(i) => {
  window.reached[i].scrollIntoView({ block: 'nearest' });
  const box = window.reached[i].getBoundingClientRect();
  return [box.x + box.width / 2, box.y + box.height / 2];
}"""
CHOSEN = """([i, k]) => {
  const set = Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, 'value').set;
  set.call(window.reached[i], window.reached[i].options[k].value);
  window.reached[i].dispatchEvent(new Event('change', { bubbles: true }));
}"""


class Hands:
    """One pair, on one page."""

    def __init__(self, page: Page, address: str, step: str, seed: int) -> None:
        self.page, self.address, self.step, self.rng = page, address, step, random.Random(seed)
        self.log: list[str] = []
        self.told = 0
        self._since: dict[Request, float] = {}
        page.on("pageerror", lambda error: self.tell(f"error of the page: {error}"))
        page.on("request", lambda request: self._since.__setitem__(request, time.monotonic()))
        page.on("response", self._answered)

    def tell(self, words: str) -> None:
        """What was found, with what was done before it."""
        self.told += 1
        print(f"{words}\n    after {self.log[-ROUND:]}", flush=True)

    def _answered(self, response: Response) -> None:
        seconds = time.monotonic() - self._since.pop(response.request, time.monotonic())
        what = f"{response.request.method} {response.url}"
        if response.status >= 500 or (response.status >= 400 and response.status not in (409, 422)):
            self.tell(f"{response.status}: {what}")
        elif seconds > SLOW_S and "/events" not in response.url:
            self.tell(f"answered after {seconds:.1f} s: {what}")

    def rest(self) -> None:
        """Until nothing is asked, drawn or saved any more."""
        try:
            for _ in range(2):
                self.page.wait_for_function(AT_REST, timeout=60_000)
                self.page.wait_for_timeout(350)
        except Exception:
            self.tell("the page does not come to rest")

    def place(self) -> tuple[float, float, float, float]:
        """Where the picture is."""
        box = self.page.locator("main").bounding_box()
        assert box is not None
        return box["x"], box["y"], box["width"], box["height"]

    def one(self) -> None:
        """One action."""
        chance = self.rng.random()
        if chance < 0.35:
            self._press()
        elif chance < 0.68:
            self._stroke()
        elif chance < 0.95:
            key = self.rng.choice(KEYS)
            self.log.append(key)
            self.page.keyboard.press(key)
        else:
            self.log.append("wheel")
            x, y, w, h = self.place()
            self.page.mouse.move(x + w * self.rng.random(), y + h * self.rng.random())
            self.page.mouse.wheel(0, self.rng.choice([-300, 300, -100, 600]))
        if self.rng.random() < 0.3:
            self.page.wait_for_timeout(self.rng.choice([30, 120, 400]))

    def _press(self) -> None:
        reached: list[dict[str, Any]] = self.page.evaluate(WITHIN_REACH)
        there = [(i, one) for i, one in enumerate(reached) if not (self.step and LEAD_AWAY.search(one["name"]))]
        if not there:
            return
        i, one = self.rng.choice(there)
        self.log.append(f"{one['tag'].lower()} {one['name']!r}")
        if one["tag"] == "SELECT":
            self.page.evaluate(CHOSEN, [i, self.rng.randrange(one["options"])])
            return
        self.page.mouse.click(*self.page.evaluate(CENTRE, i))
        if one["tag"] == "TEXTAREA" or (one["tag"] == "INPUT" and one["type"] in ("text", "number")):
            text, end = self.rng.choice(TYPED), self.rng.choice(["Enter", "Tab", "Escape", ""])
            self.log.append(f"{text!r} {end}")
            self.page.keyboard.press("Control+a")
            self.page.keyboard.type(text)
            if end:
                self.page.keyboard.press(end)
        elif one["role"] == "slider":
            for _ in range(self.rng.randrange(1, 5)):
                self.page.keyboard.press(self.rng.choice(["ArrowLeft", "ArrowRight", "Home", "End", "Shift+ArrowRight"]))

    def _stroke(self) -> None:
        x, y, w, h = self.place()
        count = self.rng.choice([1, 2, 2, 3, 4, 6])
        points = [(x + w * self.rng.uniform(0.03, 0.97), y + h * self.rng.uniform(0.03, 0.97)) for _ in range(count)]
        held = self.rng.choice([None, None, None, "Shift", "Alt", "Control"])
        self.log.append(f"{held or ''} " + " ".join(f"{px:.0f},{py:.0f}" for px, py in points))
        if held:
            self.page.keyboard.down(held)
        self.page.mouse.move(*points[0])
        self.page.mouse.down()
        for point in points[1:]:
            self.page.mouse.move(*point, steps=self.rng.randrange(1, 7))
        if self.rng.random() < 0.08:
            self.page.keyboard.press(self.rng.choice(["Escape", "Control+z", "h"]))
        self.page.mouse.up()
        if held:
            self.page.keyboard.up(held)

    def seen(self) -> tuple[str, np.ndarray]:
        """The Tone panel and the picture in it as a whole, as they are on the screen."""
        self.page.mouse.move(640, 795)
        self.rest()
        x, y, w, h = self.place()
        shot = self.page.screenshot(clip={"x": x + 24, "y": y + 24, "width": w - 48, "height": h - 112})
        panel = self.page.locator("aside[aria-label=Controls]").aria_snapshot()
        panel = "\n".join(line for line in panel.splitlines() if VALUES.search(line) and not LOOKED_AT.search(line))
        return panel, np.asarray(Image.open(io.BytesIO(shot)).convert("RGB")).astype(int)

    def read_again(self, into: Path) -> None:
        """What the page shows, before and after it is read anew."""
        for _ in range(3):
            self.page.keyboard.press("Escape")
        self.rest()
        if self.page.evaluate("document.activeElement === document.body"):
            self.tell("the keyboard is nowhere")
        if not self.step:
            self.page.goto(self.address)
            self.rest()
            return
        if not self.page.evaluate("document.querySelector('footer select').disabled"):
            self.page.locator("footer select").first.select_option("fit")
        steps = self.page.get_by_role("navigation", name="Steps")
        steps.get_by_role("button", name=re.compile("Tone")).first.click()
        before = self.seen()
        self.page.goto(re.sub(r"\?.*", "", self.page.url) + "?step=tone")
        after = self.seen()
        if before[0] != after[0]:
            lines = difflib.unified_diff(before[0].splitlines(), after[0].splitlines(), lineterm="", n=0)
            self.tell("the panel is another one after it was read again: " + " | ".join(list(lines)[2:14]))
        apart = (np.abs(before[1] - after[1]).max(2) > 24).mean() if before[1].shape == after[1].shape else 1.0
        if apart > 0.004:
            name = into / f"{self.step}-{len(self.log)}.png"
            Image.fromarray(np.vstack([before[1], after[1]]).astype(np.uint8)).save(name)
            self.tell(f"{100 * apart:.1f} % of the picture is another one after it was read again: {name}")
        steps.get_by_role("button", name=re.compile(self.step, re.IGNORECASE)).first.click()


def main() -> None:
    """Reads the command line and lets the hands go."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("address")
    parser.add_argument("step", nargs="?", default="")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--actions", type=int, default=120)
    parser.add_argument("--pictures", type=Path, default=Path(), help="where pictures of differences go")
    asked = parser.parse_args()
    with sync_playwright() as browsers:
        browser = browsers.chromium.launch(executable_path="/usr/bin/chromium", args=ARGUMENTS)
        context = browser.new_context(viewport={"width": 1280, "height": 800}, reduced_motion="reduce")
        context.add_init_script(COUNTED)
        page = context.new_page()
        address = f"{asked.address}?step={asked.step}" if asked.step else asked.address
        hands = Hands(page, address, asked.step, asked.seed)
        page.goto(hands.address)
        hands.rest()
        for number in range(1, asked.actions + 1):
            hands.one()
            if asked.step and "/frames/" not in page.url:
                page.goto(hands.address)
                hands.rest()
            if number % ROUND == 0:
                hands.read_again(asked.pictures)
        print(f"{len(hands.log)} actions, {hands.told} things told")
        browser.close()


if __name__ == "__main__":
    main()
