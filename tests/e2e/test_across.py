"""In the browser, across a shoot: sets, fit check and carry, one undo for all after a reload, edit together, versions, presets,
evening out, side by side, finding."""

import re
from pathlib import Path

import pytest
from playwright.sync_api import Locator, Page, Route, expect

from tests.conftest import small_dng
from tests.e2e.conftest import accessible, drawn, saved
from tests.services.test_use_cases import run_jobs
from zincplate.services import bring_in, shoots
from zincplate.services.context import Context
from zincplate.store.models import Frame, FrameSet, Version


@pytest.fixture
def series(context: Context, tmp_path: Path) -> dict[str, Version]:
    """Six frames of one scene, the fourth a stop and a half under; and a bracket of three."""
    made = shoots.create("Across")
    taken = {}
    for i in range(6):
        at = f"2026-05-12T07:{8 + i // 3:02d}:{20 * (i % 3):02d}"
        taken[f"TW-08{i:02d}"] = small_dng(seed=40 + i, meter_ev=-1.2 if i == 3 else 0.3, captured_at=at)
    for i, ev in enumerate((-1.7, 0.3, 2.3)):
        taken[f"TW-081{i}"] = small_dng(seed=50 + i, meter_ev=ev, captured_at=f"2026-05-12T09:00:{4 * i:02d}")
    paths = []
    for name, data in taken.items():
        paths.append(tmp_path / f"{name}.dng")
        paths[-1].write_bytes(data)
    bring_in.start(context, made, paths)
    run_jobs(context)
    return {v.frame.name[:7]: v for v in Version.select().join(Frame).where(Frame.shoot == made)}


def to_describe(page: Page) -> Locator:
    page.get_by_role("button", name="Describe").click()
    page.get_by_role("menuitem", name="Title, caption, keywords, rights").click()
    return page.get_by_role("dialog", name="Describe 3 frames")


def exposure(version: Version) -> float:
    return float(Version.get_by_id(version.id).recipe["tone"]["exposure_ev"])


def cell(page: Page, name: str) -> Locator:
    return page.get_by_role("gridcell", name=re.compile(name))


def choose(page: Page, first: str, last: str) -> None:
    cell(page, first).click()
    cell(page, last).click(modifiers=["Shift"])


def set_exposure(page: Page, value: str) -> None:
    page.get_by_label("Exposure, number").fill(value)
    page.keyboard.press("Enter")


def test_sorted_corrected_carried_and_taken_back(page: Page, series: dict[str, Version]) -> None:
    shoot = series["TW-0800"].frame.shoot_id
    page.goto(f"/shoots/{shoot}")
    # the bracket is one cell until it is opened
    expect(page.locator("[data-frame]")).to_have_count(7, timeout=30_000)
    page.get_by_role("button", name=re.compile("1 set")).click()
    page.get_by_role("menuitem", name="Keep the proposed ones").click()
    expect(page.get_by_role("button", name="1 set", exact=True)).to_be_visible()
    assert FrameSet.get(FrameSet.shoot == shoot).state == "kept"
    cell(page, "TW-0811").click()
    expect(page.get_by_role("button", name="3 selected")).to_be_visible()
    page.keyboard.press("Space")
    expect(page.locator("[data-frame]")).to_have_count(9)
    accessible(page)

    # a label by key, and words for three at once
    page.keyboard.press("6")
    expect(cell(page, "TW-0811")).to_contain_text("proof")
    # typed before it is known what there is, and after a press beside it: nothing typed is lost
    late: list[Route] = []
    page.route("**/api/frames/description", lambda route: late.append(route))
    describe = to_describe(page)
    describe.get_by_label("Keywords").fill("kiln, door")
    assert len(late) == 1
    late[0].continue_()
    page.unroute("**/api/frames/description")
    expect(describe.get_by_label("Author")).to_have_value("Harrow Lane Tileworks")
    expect(describe.get_by_label("Keywords")).to_have_value("kiln, door")
    describe.get_by_label("Title").fill("Against the light")
    page.mouse.click(8, 400)
    expect(describe).to_be_hidden()
    to_describe(page)
    expect(describe.get_by_label("Title")).to_have_value("Against the light")
    expect(describe.get_by_label("Keywords")).to_have_value("kiln, door")
    accessible(page)
    describe.get_by_role("button", name="Write").click()
    expect(page.get_by_text("Written about 3 frames.")).to_be_visible()
    find = page.get_by_role("searchbox", name=re.compile("Find frames"))
    find.fill("light door")
    expect(page.locator("[data-frame]")).to_have_count(3)
    find.press("Escape")

    # one is corrected on the bench
    cell(page, "TW-0800").dblclick()
    drawn(page)
    set_exposure(page, "0.5")
    saved(series["TW-0800"], lambda v: v.recipe["tone"]["exposure_ev"] == 0.5)
    page.get_by_role("button", name="Across").click()

    # carried to the five others; the odd one is named and gets its own correction
    choose(page, "TW-0800", "TW-0805")
    page.keyboard.press("c")
    sheet = page.get_by_role("dialog", name="Carry")
    expect(sheet.get_by_role("status")).to_have_text("1 of 5 do not fit.", timeout=30_000)
    odd = sheet.get_by_role("listitem").filter(has_text="does not fit")
    expect(odd).to_have_count(1)
    expect(odd).to_contain_text("TW-0803")
    expect(odd.get_by_role("combobox")).to_have_value("leave")
    accessible(page)
    sheet.get_by_role("button", name="Correct those that differ").click()
    asked: list[str] = []
    page.on("request", lambda request: asked.append(request.url) if request.url.endswith("/api/carry") else None)
    sheet.get_by_role("button", name="Carry to 5 frames").dblclick()
    expect(sheet.get_by_role("status")).to_contain_text("5 frames changed")
    assert len(asked) == 1, "a second press is no second step"
    expect(sheet.get_by_role("listitem").first).to_contain_text("TW-0803")
    sheet.get_by_role("button", name="Done").click()
    others = [exposure(series[f"TW-080{i}"]) for i in range(1, 6)]
    assert [round(e, 1) for e in others] == [0.5, 0.5, 2.0, 0.5, 0.5]

    # another one is worked on since; one step back for all the rest, also after a reload
    page.reload()
    cell(page, "TW-0802").dblclick()
    drawn(page)
    set_exposure(page, "0.9")
    saved(series["TW-0802"], lambda v: v.recipe["tone"]["exposure_ev"] == 0.9)
    page.get_by_role("button", name="Across").click()
    expect(cell(page, "TW-0801")).to_contain_text("adjusted")
    page.keyboard.press("Control+z")
    expect(page.get_by_text("Left as they are, since they were changed since: TW-0802.dng.")).to_be_visible()
    assert [round(exposure(series[f"TW-080{i}"]), 1) for i in range(6)] == [0.5, 0, 0.9, 0, 0, 0]
    expect(cell(page, "TW-0801")).not_to_contain_text("adjusted")


def test_a_carry_reaches_a_tab_that_has_one_of_the_frames_open(page: Page, series: dict[str, Version]) -> None:
    shoot, open_one = series["TW-0800"].frame.shoot_id, series["TW-0801"]
    other = page.context.new_page()
    other.goto(f"/shoots/{shoot}/frames/{open_one.frame_id}")
    drawn(other)
    page.goto(f"/shoots/{shoot}/frames/{series['TW-0800'].frame_id}")
    drawn(page)
    set_exposure(page, "0.6")
    saved(series["TW-0800"], lambda v: v.recipe["tone"]["exposure_ev"] == 0.6)
    page.keyboard.press("Control+c")
    expect(page.get_by_text("copied. Ctrl+V")).to_be_visible()
    page.get_by_role("main", name="Picture").focus()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_role("navigation", name="Place")).to_contain_text("TW-0801")
    drawn(page)
    page.keyboard.press("Control+v")
    saved(open_one, lambda v: v.recipe["tone"]["exposure_ev"] == 0.6)
    # the other tab shows it, and goes on from there: both are in it
    expect(other.get_by_label("Exposure, number")).to_have_value("+0.60", timeout=20_000)
    other.get_by_label("Contrast round middle grey, number").fill("7")
    other.keyboard.press("Enter")
    found = saved(open_one, lambda v: v.recipe["tone"]["contrast"] == 7)
    assert found.recipe["tone"]["exposure_ev"] == 0.6
    # undone for all: the frame was changed since, and is left alone
    page.get_by_role("button", name="Across").click()
    page.keyboard.press("Control+z")
    expect(page.get_by_text("Left as they are, since they were changed since: TW-0801.dng.")).to_be_visible()
    other.close()


def test_edited_together_versions_and_presets(page: Page, series: dict[str, Version]) -> None:
    shoot = series["TW-0800"].frame.shoot_id
    page.goto(f"/shoots/{shoot}")
    choose(page, "TW-0800", "TW-0802")
    page.get_by_role("button", name="Adjust", exact=True).click()
    page.get_by_role("menuitem", name="Edit together").click()
    expect(page.get_by_text("3 frames are edited together")).to_be_visible()
    drawn(page)
    accessible(page)
    set_exposure(page, "0.7")
    for i in range(3):
        saved(series[f"TW-080{i}"], lambda v: v.recipe["tone"]["exposure_ev"] == 0.7)
    page.get_by_role("radio", name="by the same change").click()
    page.get_by_role("button", name="Undo").click()
    for i in range(3):
        saved(series[f"TW-080{i}"], lambda v: v.recipe["tone"]["exposure_ev"] == 0)
    page.get_by_role("button", name="Redo").click()
    for i in range(3):
        saved(series[f"TW-080{i}"], lambda v: v.recipe["tone"]["exposure_ev"] == 0.7)
    page.get_by_role("main", name="Picture").focus()
    page.keyboard.press("Escape")
    expect(page.get_by_text("3 frames are edited together")).to_have_count(0)
    set_exposure(page, "0.2")
    place = page.get_by_role("navigation", name="Place").inner_text()
    open_one = next(name for name in ("TW-0800", "TW-0801", "TW-0802") if name in place)
    saved(series[open_one], lambda v: v.recipe["tone"]["exposure_ev"] == 0.2)
    assert sorted(exposure(series[f"TW-080{i}"]) for i in range(3)) == [0.2, 0.7, 0.7]

    # a second version in grey, compared with the first, deleted and brought back
    page.get_by_role("button", name=re.compile("^Versions")).click()
    page.get_by_role("button", name="Duplicate this one").dblclick()
    expect(page.get_by_role("button", name=re.compile("^Versions: version 2"))).to_be_visible()
    drawn(page)
    second = Version.get(Version.frame == series[open_one].frame, Version.number == 2)
    assert Version.select().where(Version.frame == series[open_one].frame).count() == 2
    page.keyboard.press("Shift+Digit4")
    page.get_by_role("switch", name="Black and white").click()
    saved(second, lambda v: bool(v.recipe["colour"]["black_and_white"]))
    page.get_by_role("button", name=re.compile("^Versions")).click()
    accessible(page)
    page.get_by_role("button", name="Compare").click()
    page.keyboard.press("Escape")
    expect(page.get_by_text("This version: Black and white off \u2192 on")).to_be_visible()
    page.get_by_role("button", name=re.compile("^Versions")).click()
    page.get_by_role("button", name="Delete").nth(1).click()
    expect(page.get_by_text("version 2 deleted.")).to_be_visible()
    assert Version.get_by_id(second.id).deleted_at is not None
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Undo", exact=True).last.click()
    saved(second, lambda v: v.deleted_at is None)

    # kept as a preset, put on others at 60 %
    page.get_by_role("button", name="Presets").click()
    page.get_by_role("button", name="Keep as preset").click()
    page.get_by_label("Name", exact=True).fill("A little lighter")
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.get_by_role("button", name=re.compile("^A little lighter"))).to_be_visible()
    accessible(page)
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Across").click()
    choose(page, "TW-0804", "TW-0805")
    page.get_by_role("button", name="Adjust", exact=True).click()
    page.get_by_role("menuitem", name="Apply a preset").click()
    sheet = page.get_by_role("dialog", name="Apply a preset")
    sheet.get_by_role("radio", name=re.compile("^A little lighter")).check()
    sheet.get_by_role("slider").fill("60")
    accessible(page)
    sheet.get_by_role("button", name="Apply to 2").click()
    for name in ("TW-0804", "TW-0805"):
        saved(series[name], lambda v: v.recipe["tone"]["exposure_ev"] == 0.12)


def test_evened_out_side_by_side_and_found(page: Page, series: dict[str, Version]) -> None:
    shoot = series["TW-0800"].frame.shoot_id
    page.goto(f"/shoots/{shoot}")
    choose(page, "TW-0800", "TW-0803")
    page.get_by_role("button", name="Adjust", exact=True).click()
    page.get_by_role("menuitem", name="Even out light").click()
    sheet = page.get_by_role("dialog", name="Even out light")
    expect(sheet.get_by_role("status")).to_contain_text("3 of 3 can be evened out", timeout=30_000)
    sheet.get_by_role("combobox").select_option(label="TW-0800.dng")
    expect(sheet.get_by_role("row", name=re.compile("TW-0803"))).to_contain_text("+1.5", timeout=30_000)
    accessible(page)
    sheet.get_by_role("button", name="Even out 3 frames").click()
    saved(series["TW-0803"], lambda v: abs(v.recipe["tone"]["exposure_ev"] - 1.5) < 0.03)
    expect(sheet).to_be_hidden()

    page.keyboard.press("s")
    expect(page.get_by_role("region", name="TW-0803.dng")).to_contain_text("\u22121.50 EV", timeout=20_000)
    expect(page.get_by_role("region")).to_have_count(4)
    accessible(page)
    page.keyboard.press("ArrowRight")
    page.keyboard.press("k")
    expect(page.get_by_role("region", name="TW-0801.dng")).to_contain_text("keep")
    page.keyboard.press("f")
    expect(page.get_by_role("region", name="TW-0800.dng")).to_contain_text("sharpness")
    page.keyboard.press("Delete")
    expect(page.get_by_role("region")).to_have_count(3)
    page.keyboard.press("Escape")
    expect(page.get_by_role("grid")).to_be_visible()

    page.keyboard.press("Control+k")
    page.keyboard.type("0811")
    expect(page.get_by_role("option", name=re.compile("TW-0811.dng"))).to_be_visible()
    accessible(page)
    page.get_by_role("option", name=re.compile("TW-0811.dng")).click()
    expect(page.get_by_role("navigation", name="Place")).to_contain_text("TW-0811")
    page.goto("/find")
    page.get_by_role("searchbox").fill("pennick")
    page.get_by_label("mark").select_option("keep")
    expect(page.get_by_role("status").filter(has_text="1 frame")).to_be_visible()
    accessible(page)
    page.get_by_label("Name to keep this search under").fill("The keepers")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Clear the search").click()
    expect(page.get_by_role("status").filter(has_text="9 frames")).to_be_visible()
    page.get_by_role("button", name="The keepers", exact=True).click()
    expect(page.get_by_role("status").filter(has_text="1 frame,")).to_be_visible()
