"""Nothing a photographer did is lost: a drill of random actions with late answers, reloads and a second tab.

In the tests it is short. ``ZINCPLATE_DRILL_ACTIONS=500 ZINCPLATE_DRILL_FRAMES=20 ./zincplate test tests/e2e/test_drill.py`` runs
the long one; ``ZINCPLATE_DRILL_SEED`` chooses other actions.
"""

import os
import random
from copy import deepcopy
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from playwright.sync_api import Browser, Page, expect

from tests.conftest import Stack
from tests.e2e.conftest import saved
from tests.e2e.drilling import LATE, drilled, two_tabs
from zincplate.services import history
from zincplate.services.context import Context
from zincplate.store.models import HistoryEntry, Version

ACTIONS = int(os.environ.get("ZINCPLATE_DRILL_ACTIONS", "60"))
FRAMES = int(os.environ.get("ZINCPLATE_DRILL_FRAMES", "5"))
SEED = int(os.environ.get("ZINCPLATE_DRILL_SEED", "7"))
LONGEST_WAIT_S = 1.5
CONTROLS = {
    "Exposure": ("exposure_ev", 0.05, 2),
    "Black point": ("black_point", 1, 0),
    "Shadows": ("shadows", 1, 0),
    "Highlights": ("highlights", 1, 0),
    "White point": ("white_point", 1, 0),
}
"""Label on the panel: control of the tone step, its step, decimals."""


@dataclass
class Believed:
    """What the photographer has done to one frame: a history of tone values and switches, one entry for each action."""

    states: list[dict[str, Any]]
    at: int = 0
    last: str = ""
    others: int = 0
    """Changes of the second tab; they are in the states too."""
    log: list[str] = field(default_factory=list)

    @property
    def now(self) -> dict[str, Any]:
        return self.states[self.at]

    def put(self, name: str, value: Any) -> None:
        self.states = [*self.states[: self.at + 1], {**self.now, name: value}]
        self.at += 1
        self.last = name
        self.log.append(f"{self.at}: {name} {value}")


def state_of(version: Version) -> dict[str, Any]:
    return tone_of(version.recipe)


def tone_of(recipe: dict[str, Any]) -> dict[str, Any]:
    found = {name: recipe["tone"][name] for name, _, _ in CONTROLS.values()}
    return {**found, "off": tuple(recipe["off"]), "vibrance": recipe["colour"]["vibrance"]}


def holds(version: Version, frame: Believed) -> bool:
    """Whether a version is saved as it is believed to be, with every step of its history."""
    if version.position != frame.at or state_of(version) != frame.now:
        return False
    return [tone_of(d) for d in history.documents(version, 0, 1_000_000).values()] == frame.states


class Drill:
    """One photographer in one tab, with another tab now and then."""

    def __init__(self, page: Page, other: Page, versions: list[Version], url: str) -> None:
        self.random = random.Random(SEED)
        self.page, self.other, self.versions, self.url = page, other, versions, url
        self.open = 0
        self.believed = [Believed([deepcopy(state_of(v))]) for v in versions]
        self.count = 0
        self.journal: list[str] = []

    @property
    def frame(self) -> Believed:
        return self.believed[self.open]

    def settle(self) -> None:
        """Until the opened frame's controls are alive; its changes may still wait."""
        expect(self.page.get_by_text(self.versions[self.open].frame.name[:-4], exact=True).first).to_be_visible()
        expect(self.page.get_by_role("complementary", name="Controls").locator("[aria-busy=true]")).to_have_count(0)

    def type_number(self) -> None:
        label, (name, _, decimals) = self.choose()
        self.count += 1
        value = round((self.count % 90 + 1) / (100 if decimals else 1) * self.random.choice((-1, 1)), 2)
        if value == self.frame.now[name]:
            return
        self.page.get_by_label(f"{label}, number").fill(str(value))
        self.page.keyboard.press("Enter")
        self.frame.put(name, value)

    def step_gauge(self) -> None:
        label, (name, step, _) = self.choose()
        self.page.get_by_role("slider", name=label, exact=True).focus()
        up = self.frame.now[name] < 0
        self.page.keyboard.press("ArrowRight" if up else "ArrowLeft")
        steps = self.frame.now[name] / step
        # as JavaScript rounds: halves go up
        value = (int((steps + 0.5) // 1) + (1 if up else -1)) * step
        self.frame.put(name, round(value, 3))

    def choose(self) -> tuple[str, tuple[str, float, int]]:
        """A control other than the last: the same one again at once would be the same gesture."""
        label = self.random.choice([k for k, (name, _, _) in CONTROLS.items() if name != self.frame.last])
        return label, CONTROLS[label]

    def switch(self) -> None:
        if self.frame.last == "off":
            return
        self.page.get_by_role("switch", name="Tone switched on").click()
        self.frame.put("off", () if self.frame.now["off"] else ("tone",))

    def undo(self) -> None:
        self.frame.log.append("undo")
        self.page.keyboard.press("Control+z")
        self.frame.at = max(self.frame.at - 1, 0)
        self.frame.last = ""

    def redo(self) -> None:
        self.frame.log.append("redo")
        self.page.keyboard.press("Control+Shift+z")
        self.frame.at = min(self.frame.at + 1, len(self.frame.states) - 1)
        self.frame.last = ""

    def go(self) -> None:
        # from the gauge an arrow is its own: the picture is pressed first, as a hand would
        self.page.get_by_test_id("picture").click(position={"x": 30, "y": 30})
        forward = self.random.random() < 0.5
        if not 0 <= self.open + (1 if forward else -1) < len(self.versions):
            forward = not forward
        self.page.keyboard.press("ArrowRight" if forward else "ArrowLeft")
        self.open += 1 if forward else -1
        self.frame.log.append("opened")
        self.frame.last = ""
        self.settle()

    def reload(self) -> None:
        self.page.reload()
        self.frame.log.append("reload")
        self.frame.last = ""
        self.settle()

    def second_tab(self) -> None:
        """Another tab changes what this one does not touch, once this one's changes are through; this one sees it by itself."""
        version = self.versions[self.open]
        frame = self.frame
        self.check(version, frame)
        self.other.goto(f"{self.url}/shoots/{version.frame.shoot_id}/frames/{version.frame_id}?step=colour")
        frame.others += 1
        value = (frame.others * 7) % 60 + 1
        if value == frame.now["vibrance"]:
            value += 1
        expect(self.other.get_by_label("Vibrance, number")).to_be_visible()
        self.other.get_by_label("Vibrance, number").fill(str(value))
        self.other.keyboard.press("Enter")
        frame.put("vibrance", value)
        saved(version, lambda v: v.recipe["colour"]["vibrance"] == value, 60)
        self.page.keyboard.press("Shift+Digit4")
        expect(self.page.get_by_label("Vibrance, number")).to_have_value(f"+{value}", timeout=20_000)
        self.page.keyboard.press("Shift+Digit3")

    def check(self, version: Version, frame: Believed) -> Version:
        """Until a frame is saved as it is believed to be; tells both when it is not."""
        entries = HistoryEntry.select().where(HistoryEntry.version == version).order_by(HistoryEntry.position)
        try:
            return saved(version, lambda v: holds(v, frame), 60)
        except AssertionError:
            print("\n".join(self.journal))
            for other, believed in zip(self.versions, self.believed, strict=True):
                now = Version.get_by_id(other.id)
                rows = HistoryEntry.select().where(HistoryEntry.version == other).order_by(HistoryEntry.position)
                print(other.frame.name, "at", now.position, "believed", believed.at, [r.words for r in rows], believed.log)
            lines = [f"{e.position}: {e.words}" for e in entries]
            lines.append("told: " + " | ".join(self.page.get_by_role("status").all_inner_texts()))
            found = Version.get_by_id(version.id)
            raise AssertionError(
                f"{version.frame.name} is at {found.position}, believed {frame.at}\n" + "\n".join([*frame.log, "saved:", *lines])
            ) from None

    def run(self) -> None:
        deeds = [self.type_number] * 5 + [self.step_gauge] * 3 + [self.switch, self.undo, self.undo, self.redo, self.go, self.go]
        for i in range(ACTIONS):
            if i % 23 == 22:
                self.reload()
            elif i % 31 == 30:
                self.second_tab()
            else:
                deed = self.random.choice(deeds)
                self.journal.append(f"{i} {self.versions[self.open].frame.name} {deed.__name__}")
                deed()


def test_every_action_is_saved_as_it_was_made(browser: Browser, stack: Stack, context: Context, tmp_path: Path) -> None:
    versions = drilled(context, tmp_path, "Drill", FRAMES, 300)
    with two_tabs(browser, stack, versions[0], LATE % (SEED, LONGEST_WAIT_S * 1000)) as (page, other):
        drill = Drill(page, other, versions, stack.url)
        drill.settle()
        drill.run()

        for version, frame in zip(versions, drill.believed, strict=True):
            drill.check(version, frame)
        # the last answers have come too, and nothing is kept for a page that is not needed
        for _ in range(300):
            if not page.evaluate("Object.keys(localStorage).filter(k => k.includes('waiting'))"):
                break
            page.wait_for_timeout(100)
        else:
            raise AssertionError("changes are kept although all of them are saved")
