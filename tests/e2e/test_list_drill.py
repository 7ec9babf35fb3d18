"""Passes and repairs made, changed, struck out and taken back while answers are late: the same drill as for single controls.

A place that a repair is taken from is looked for by the server, so a repair comes when its answer does: what is pressed meanwhile
comes after it. ``ZINCPLATE_DRILL_ACTIONS`` and ``ZINCPLATE_DRILL_SEED`` as in ``test_drill``.
"""

import os
import random
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.conftest import Stack
from tests.e2e.conftest import drawn, saved
from tests.e2e.drilling import LATE, drilled, two_tabs
from zincplate.services import history
from zincplate.services.context import Context
from zincplate.store.models import Version

ACTIONS = int(os.environ.get("ZINCPLATE_DRILL_ACTIONS", "20"))
SEED = int(os.environ.get("ZINCPLATE_DRILL_SEED", "5"))
LONGEST_WAIT_MS = 1200

Lists = tuple[tuple[tuple[str, bool], ...], tuple[tuple[str, int, bool], ...]]
"""Passes (name, on) and repairs (kind, diameter in thousandths, on), in their order."""


def lists_of(recipe: dict[str, Any]) -> Lists:
    passes = tuple((p["name"], p["on"]) for p in recipe["passes"]["passes"])
    repairs = tuple((r["kind"], round(1000 * r["strokes"][0]["size"]), r["on"]) for r in recipe["repair"]["repairs"])
    return passes, repairs


class Believed:
    """What was done to one frame, one entry for each action."""

    def __init__(self, first: Lists) -> None:
        self.states, self.at, self.log = [first], 0, list[str]()

    @property
    def now(self) -> Lists:
        return self.states[self.at]

    def put(self, passes: Any = None, repairs: Any = None) -> None:
        lists = (self.now[0] if passes is None else tuple(passes), self.now[1] if repairs is None else tuple(repairs))
        self.states = [*self.states[: self.at + 1], lists]
        self.at += 1

    def holds(self, version: Version) -> bool:
        if version.position != self.at or lists_of(version.recipe) != self.now:
            return False
        return [lists_of(d) for d in history.documents(version, 0, 1_000_000).values()] == self.states


class Drill:
    """One photographer in one tab, with another tab now and then."""

    def __init__(self, page: Page, other: Page, versions: list[Version], url: str) -> None:
        self.random = random.Random(SEED)
        self.page, self.other, self.versions, self.url = page, other, versions, url
        self.open = self.sizes = 0
        self.believed = [Believed(lists_of(v.recipe)) for v in versions]

    @property
    def frame(self) -> Believed:
        return self.believed[self.open]

    def step(self, name: str) -> None:
        self.page.get_by_role("button", name=name, exact=False).filter(has_text=name).first.click()
        expect(self.page.get_by_role("heading", name=name)).to_be_visible()

    def new_pass(self) -> None:
        self.step("Passes")
        taken = {name for name, _ in self.frame.now[0]}
        if len(taken) > 4:
            return
        self.page.get_by_role("button", name="New pass").click()
        number = next(n for n in range(1, 99) if f"Pass {n}" not in taken)
        self.frame.put(passes=[*self.frame.now[0], (f"Pass {number}", True)])

    def a_pass(self) -> int | None:
        self.step("Passes")
        return self.random.randrange(len(self.frame.now[0])) if self.frame.now[0] else None

    def switch_pass(self) -> None:
        if (i := self.a_pass()) is None:
            return
        passes = list(self.frame.now[0])
        self.page.get_by_role("switch", name=f"Pass {passes[i][0]} switched on").click()
        passes[i] = (passes[i][0], not passes[i][1])
        self.frame.put(passes=passes)

    def opened_pass(self, name: str) -> None:
        button = self.page.get_by_role("button", name=f"Open pass {name}", exact=True)
        if button.count():
            button.click()

    def strike_pass(self) -> None:
        if (i := self.a_pass()) is None:
            return
        passes = list(self.frame.now[0])
        self.opened_pass(passes[i][0])
        self.page.get_by_role("button", name=f"Remove pass {passes[i][0]}", exact=True).click()
        self.frame.put(passes=[*passes[:i], *passes[i + 1 :]])

    def later(self) -> None:
        if (i := self.a_pass()) is None or i + 1 == len(self.frame.now[0]):
            return
        passes = list(self.frame.now[0])
        self.opened_pass(passes[i][0])
        self.page.get_by_role("button", name="Print later").click()
        passes[i], passes[i + 1] = passes[i + 1], passes[i]
        self.frame.put(passes=passes)

    def spot(self) -> None:
        self.step("Repair")
        if len(self.frame.now[1]) > 6:
            return
        # every spot has a size of its own, by which it is known again
        self.sizes += 1
        size = 2 + 0.1 * (self.sizes % 60)
        tool = self.page.get_by_role("group", name="Tools of repair").get_by_role("button", name="Spot", exact=True)
        if tool.get_attribute("aria-pressed") != "true":
            tool.click()
        self.page.get_by_label("Size, number").fill(f"{size:.1f}")
        self.page.keyboard.press("Enter")
        box = self.page.get_by_test_id("brush").bounding_box()
        assert box is not None
        x, y = self.random.uniform(0.3, 0.7), self.random.uniform(0.35, 0.65)
        self.page.mouse.click(box["x"] + x * box["width"], box["y"] + y * box["height"])
        self.frame.put(repairs=[*self.frame.now[1], ("spot", round(10 * size), True)])

    def a_repair(self) -> int | None:
        self.step("Repair")
        # one that is still being looked for is not in the list yet: a hand waits until it is
        expect(self.page.locator("[data-repair]")).to_have_count(len(self.frame.now[1]), timeout=20_000)
        return self.random.randrange(len(self.frame.now[1])) if self.frame.now[1] else None

    def switch_repair(self) -> None:
        if (i := self.a_repair()) is None:
            return
        repairs = list(self.frame.now[1])
        self.page.get_by_role("switch", name=f"Spot {i + 1} switched on").click()
        repairs[i] = (*repairs[i][:2], not repairs[i][2])
        self.frame.put(repairs=repairs)

    def strike_repair(self) -> None:
        if (i := self.a_repair()) is None:
            return
        repairs = list(self.frame.now[1])
        row = self.page.locator("[data-repair]").nth(i).locator("[aria-expanded]")
        if row.get_attribute("aria-expanded") != "true":
            row.click()
        self.page.get_by_role("button", name=f"Strike out Spot {i + 1}", exact=True).click()
        self.frame.put(repairs=[*repairs[:i], *repairs[i + 1 :]])

    def undo(self) -> None:
        self.page.keyboard.press("Control+z")
        self.frame.at = max(self.frame.at - 1, 0)

    def redo(self) -> None:
        self.page.keyboard.press("Control+Shift+z")
        self.frame.at = min(self.frame.at + 1, len(self.frame.states) - 1)

    def go(self) -> None:
        to = 1 - self.open
        self.page.get_by_role("button", name=self.versions[to].frame.name[3:7]).first.click()
        self.open = to
        self.settle()

    def settle(self) -> None:
        expect(self.page.get_by_role("navigation", name="Place")).to_contain_text(self.versions[self.open].frame.name[:-4])
        expect(self.page.get_by_role("complementary", name="Controls").locator("[aria-busy=true]")).to_have_count(0)

    def second_tab(self) -> None:
        """Another tab adds a pass, and switches a repair, once this one's changes are through."""
        version = self.versions[self.open]
        self.check(version, self.frame)
        if len(self.frame.now[0]) > 4:
            return
        self.other.goto(f"{self.url}/shoots/{version.frame.shoot_id}/frames/{version.frame_id}?step=passes")
        expect(self.other.get_by_role("button", name="New pass")).to_be_enabled()
        drawn(self.other)
        self.other.get_by_role("button", name="New pass").click()
        number = next(n for n in range(1, 99) if f"Pass {n}" not in {name for name, _ in self.frame.now[0]})
        self.frame.put(passes=[*self.frame.now[0], (f"Pass {number}", True)])
        self.check(version, self.frame)
        self.step("Passes")
        expect(self.page.get_by_role("listitem", name=f"Pass Pass {number}", exact=True)).to_be_visible(timeout=20_000)

    def check(self, version: Version, frame: Believed) -> None:
        try:
            saved(version, frame.holds, 60)
        except AssertionError:
            found = Version.get_by_id(version.id)
            states = [lists_of(d) for d in history.documents(found, 0, 1_000_000).values()]
            lines = [f"{i}: {a}\n   {b}" for i, (a, b) in enumerate(zip(frame.states, states, strict=False))]
            raise AssertionError(
                f"{version.frame.name} is at {found.position} of {len(states)}, believed at {frame.at} of {len(frame.states)}\n"
                + "\n".join(frame.log)
                + "\nbelieved, and found: "
                + "\n".join(lines)
            ) from None

    def run(self) -> None:
        deeds = [self.new_pass] * 2 + [self.spot] * 5 + [self.switch_pass, self.strike_pass, self.later, self.switch_repair]
        deeds += [self.strike_repair] + [self.undo] * 4 + [self.redo] * 2 + [self.go]
        for i in range(ACTIONS):
            deed = self.second_tab if i % 21 == 20 else self.random.choice(deeds)
            self.frame.log.append(f"{i} {deed.__name__}")
            deed()


@pytest.mark.timeout(400)
def test_every_pass_and_repair_is_saved_as_it_was_made(browser: Browser, stack: Stack, context: Context, tmp_path: Path) -> None:
    versions = drilled(context, tmp_path, "Drill of lists", 2, 320)
    late = (LATE % (SEED, LONGEST_WAIT_MS)).replace("versions", "(versions|frames\\/\\d+\\/repairs)")
    with two_tabs(browser, stack, versions[0], late) as (page, other):
        drawn(page)
        drill = Drill(page, other, versions, stack.url)
        drill.settle()
        drill.run()
        for version, frame in zip(versions, drill.believed, strict=True):
            drill.check(version, frame)
