"""In the browser: a panorama, a focus series and a series of many frames, each looked at, made, developed and delivered."""

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.conftest import small_dng
from tests.e2e.conftest import accessible, drawn, saved
from tests.e2e.test_across import cell
from tests.reference.test_panorama import taken
from tests.reference.test_series import small
from tests.services.test_use_cases import run_jobs
from zincplate.services import bring_in, merges, shoots
from zincplate.services.context import Context
from zincplate.store.models import Delivered, Frame, Version, now


def brought_in(context: Context, folder: Path) -> int:
    made = shoots.create("Merges")
    bring_in.start(context, made, bring_in.files_in(folder))
    run_jobs(context)
    return int(made.id)


@pytest.fixture
def view(context: Context, tmp_path: Path) -> int:
    for i, yaw in enumerate((-20, 0, 20)):
        taken(tmp_path, f"TW-090{i}", yaw, ev=-0.7 if i == 1 else 0.0)
    return brought_in(context, tmp_path)


@pytest.fixture
def still(context: Context, tmp_path: Path) -> int:
    for i in range(4):
        small(tmp_path, f"TW-091{i}", i + 1)
    return brought_in(context, tmp_path)


@pytest.fixture
def with_dark(context: Context, tmp_path: Path) -> int:
    for i in range(4):
        small(tmp_path, f"TW-092{i}", i + 1, capped=i == 3)
    return brought_in(context, tmp_path)


def to_the_table(page: Page, shoot: int, first: str, last: str, kind: str) -> None:
    """The frames are chosen on the sheet, and what they are merged as on the table."""
    page.goto(f"/shoots/{shoot}")
    opened = page.get_by_role("button", name=re.compile("set"))
    expect(cell(page, first).or_(opened.first).first).to_be_visible(timeout=30_000)
    page.keyboard.press("Control+a")
    page.get_by_role("button", name="Merge", exact=True).click()
    expect(page.get_by_role("navigation", name="Place")).to_contain_text(re.compile(f"{first} to {last}"))
    page.get_by_role("combobox", name="merged as").select_option(label=kind)
    expect(page.get_by_role("navigation", name="Place")).to_contain_text(f"{kind} {first}")


def made_developed_delivered(page: Page, name: str) -> None:
    page.get_by_role("button", name="Make master").click()
    expect(page.get_by_text(f"{name}.dng is made.")).to_be_visible(timeout=90_000)
    page.get_by_role("button", name="Develop it").click()
    drawn(page)
    page.get_by_label("Exposure, number").fill("0.5")
    page.keyboard.press("Enter")
    drawn(page)
    page.get_by_role("button", name="Deliver", exact=True).click()
    page.get_by_role("button", name="Deliver 1 file").click()
    ledger = page.get_by_role("region", name="Ledger")
    expect(ledger.get_by_role("cell", name=f"{name}-web.jpg", exact=True)).to_be_visible(timeout=30_000)


def test_a_panorama(page: Page, context: Context, view: int) -> None:
    to_the_table(page, view, "TW-0900", "TW-0902", "panorama")
    done = page.get_by_role("region", name="What is done")
    expect(done).to_contain_text("3 of 3 frames take part", timeout=90_000)
    expect(done).to_contain_text("Made equally bright")
    accessible(page)
    page.get_by_role("combobox", name="laid out").select_option("cylinder")
    expect(done).to_contain_text("on a cylinder", timeout=60_000)
    page.get_by_role("checkbox", name="cut to what is covered").click()
    expect(done).to_contain_text("not covered", timeout=60_000)
    page.get_by_role("button", name="Shared places").click()
    expect(page.locator("main circle").first).to_be_visible()

    # the horizon is dragged: the picture follows the hand, then it is laid out anew
    box = page.get_by_role("img", name="The merge of 3 frames").bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2 + 40, steps=4)
    page.mouse.up()
    expect(page.get_by_label("Horizon, number")).not_to_have_value("0.0")
    page.get_by_role("checkbox", name="cut to what is covered").click()
    expect(done).not_to_contain_text("not covered", timeout=60_000)
    page.get_by_role("checkbox", name="TW-0902.dng takes part").click()
    expect(page.get_by_role("region", name="Left out")).to_contain_text("TW-0902.dng: left out by hand", timeout=60_000)
    page.get_by_role("checkbox", name="TW-0902.dng takes part").click()
    expect(done).to_contain_text("3 of 3 frames take part", timeout=60_000)
    made_developed_delivered(page, "TW-0900-0902-panorama")
    master = Frame.get(Frame.made == "panorama")
    told = merges.made_of(context, master.id)
    assert told["options"]["projection"] == "cylinder" and told["options"]["pitch_degrees"] > 0
    assert Delivered.get().width <= 2560
    # merged once more it is made again, with what it was made with
    page.goto(f"/shoots/{view}/merge?frames={','.join(str(s['frame']) for s in told['sources'])}&as=panorama&again={master.id}")
    expect(page.get_by_role("combobox", name="laid out")).to_have_value("cylinder", timeout=30_000)
    expect(page.get_by_role("button", name="Make it again")).to_be_enabled(timeout=60_000)


def test_a_focus_series_is_touched_up(page: Page, context: Context, still: int) -> None:
    to_the_table(page, still, "TW-0910", "TW-0913", "focus series")
    done = page.get_by_role("region", name="What is done")
    expect(done).to_contain_text("4 of 4 frames take part", timeout=90_000)
    page.get_by_role("button", name="Depth map").click()
    expect(page.get_by_role("img", name=re.compile("depth map"))).to_be_visible()
    accessible(page)
    page.get_by_role("button", name="Depth map").click()
    page.get_by_role("combobox", name="paint from").select_option(label="TW-0912")
    box = page.get_by_role("img", name="The merge of 4 frames").bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + 60, box["y"] + 60)
    page.mouse.down()
    page.mouse.move(box["x"] + 160, box["y"] + 90, steps=5)
    page.mouse.up()
    expect(done).to_contain_text("1 stroke by hand", timeout=60_000)
    page.mouse.click(box["x"] + 200, box["y"] + 150)
    expect(done).to_contain_text("2 strokes by hand", timeout=60_000)
    page.get_by_role("button", name="Take back the last").click()
    expect(done).to_contain_text("1 stroke by hand", timeout=60_000)
    # what the hand did is taken back and done again by key, and is still there after leaving the table and reading the page again
    page.keyboard.press("Control+z")
    expect(done).to_contain_text("2 strokes by hand", timeout=60_000)
    page.keyboard.press("Control+Shift+Z")
    expect(done).to_contain_text("1 stroke by hand", timeout=60_000)
    page.keyboard.press("Escape")
    expect(page.get_by_role("grid", name="Frames of the shoot")).to_be_visible()
    page.go_back()
    expect(page.get_by_text("1 stroke", exact=True)).to_be_visible()
    page.reload()
    expect(done).to_contain_text("1 stroke by hand", timeout=60_000)
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_text("1 stroke", exact=True)).to_be_hidden()
    expect(page.get_by_role("button", name="Undo")).to_be_focused()
    page.get_by_role("button", name="Redo").click()
    expect(done).to_contain_text("1 stroke by hand", timeout=60_000)
    made_developed_delivered(page, "TW-0910-0913-focus")
    master = Frame.get(Frame.made == "focus")
    touches = merges.made_of(context, master.id)["options"]["touches"]
    assert len(touches) == 1 and touches[0]["frame"] == 2 and len(touches[0]["points"]) > 2
    # its depth map says where a pass acts
    page.goto(f"/shoots/{still}/frames/{master.id}?step=passes")
    drawn(page)
    page.get_by_role("button", name="New pass").click()
    page.get_by_role("group", name="New part of the area").get_by_role("button", name="depth").click()
    where = page.get_by_role("region", name="Where")
    expect(where.get_by_role("button", name="depth nearer than 40 %")).to_be_visible()
    drawn(page)
    page.get_by_role("button", name=re.compile("Pick a place of the picture")).press("Enter")
    expect(where.get_by_role("button", name=re.compile(r"depth \d+ to \d+ %|depth (nearer|farther) than (?!40)"))).to_be_visible()
    accessible(page)
    term = saved(Version.get_by_id(master.cover_id), lambda v: v.recipe["passes"]["passes"][0]["area"]["terms"][0]["high"] != 40)
    assert term.recipe["passes"]["passes"][0]["area"]["terms"][0]["kind"] == "depth"
    # one that was made before there were any says so, and offers the merge table
    assert merges.made_of(context, master.id)["stale"] == []
    Frame.update(depth_map=False, changed_at=now()).where(Frame.id == master.id).execute()
    assert "before depth maps" in " ".join(merges.made_of(context, master.id)["stale"])
    page.reload()
    drawn(page)
    page.get_by_role("button", name="New pass").click()
    page.get_by_role("group", name="New part of the area").get_by_role("button", name="depth").click()
    page.get_by_role("button", name="Make it again").click()
    expect(page.get_by_role("button", name="Make it again")).to_be_enabled(timeout=60_000)
    expect(page.get_by_text("It was made before depth maps were kept")).to_be_visible()


def test_a_series_of_many(page: Page, context: Context, with_dark: int) -> None:
    to_the_table(page, with_dark, "TW-0920", "TW-0923", "noise or star series")
    done = page.get_by_role("region", name="What is done")
    expect(done).to_contain_text("3 of 3 frames are combined, the mean of what agrees", timeout=90_000)
    expect(done).to_contain_text("Calibrated by 1 dark.")
    dark = page.get_by_role("combobox", name="TW-0923.dng is")
    expect(dark.locator("option:checked")).to_have_text("dark, as found")
    accessible(page)
    page.get_by_role("combobox", name="combined by").select_option("median")
    expect(done).to_contain_text("their median", timeout=60_000)
    dark.select_option("bias")
    expect(done).to_contain_text("Calibrated by 1 bias.", timeout=60_000)
    page.get_by_role("combobox", name="laid by").select_option("none")
    expect(done).to_contain_text("They lie on each other as they were taken.", timeout=60_000)
    made_developed_delivered(page, "TW-0920-0923-series")
    options = merges.made_of(context, Frame.get(Frame.made == "series").id)["options"]
    assert options["method"] == "median" and options["roles"] == {"3": "bias"}


def test_a_frame_that_does_not_belong_is_said_once_and_switched_off(page: Page, context: Context, tmp_path: Path) -> None:
    for i in range(3):
        small(tmp_path, f"TW-094{i}", i + 1)
    (tmp_path / "TW-0943.dng").write_bytes(small_dng(seed=7, captured_at="2030-01-01T07:08:09"))
    to_the_table(page, brought_in(context, tmp_path), "TW-0940", "TW-0943", "noise or star series")
    refused = page.get_by_role("alert")
    expect(refused).to_contain_text("TW-0943.dng: It has another size than TW-0940.dng: 720 x 480", timeout=60_000)
    page.wait_for_timeout(500)
    expect(refused).to_have_count(1)
    # nothing is known of the frames, and all can be said of them
    expect(page.get_by_role("combobox", name="TW-0941.dng is").locator("option:checked")).to_have_text("as found")
    accessible(page)
    switch = page.get_by_role("checkbox", name="TW-0943.dng takes part")
    switch.click()
    expect(switch).not_to_be_checked(timeout=1000)
    expect(page.get_by_role("region", name="Left out")).to_contain_text("TW-0943.dng: left out by hand", timeout=60_000)
    expect(refused).to_have_count(0)
    row = page.get_by_role("listitem").filter(has=switch)
    expect(row).to_contain_text("left out by hand")
    expect(row).not_to_contain_text("EV")
    expect(page.get_by_role("button", name="Make master")).to_be_enabled()
