"""In the browser: a bracket is looked at on the merge table, made, developed and delivered; made again; several at once."""

import re
from pathlib import Path

from playwright.sync_api import Page, Route, expect

from tests.e2e.conftest import accessible, drawn
from tests.e2e.test_across import cell, series  # noqa: F401
from tests.e2e.test_repair import until
from tests.reference.test_panorama import taken
from tests.services.test_use_cases import run_jobs
from zincplate.services import bring_in, merges, sets, shoots
from zincplate.services.context import Context
from zincplate.store.models import Delivered, Frame, Version


def test_a_bracket_from_the_sheet_to_a_delivery(page: Page, context: Context, series: dict[str, Version]) -> None:  # noqa: F811
    shoot = series["TW-0800"].frame.shoot_id
    page.goto(f"/shoots/{shoot}")
    expect(page.get_by_role("button", name=re.compile("1 set"))).to_be_visible(timeout=30_000)
    cell(page, "TW-0811").click()
    page.get_by_role("button", name="Merge", exact=True).click()
    expect(page.get_by_role("navigation", name="Place")).to_contain_text("bracket TW-0810 to TW-0812")
    done = page.get_by_role("region", name="What is done")
    expect(done).to_contain_text("3 of 3 frames take part", timeout=60_000)
    expect(page.get_by_role("img", name="The merge of 3 frames")).to_be_visible()
    accessible(page)

    # a frame is left out by hand, and taken in again; the reference is chosen
    page.get_by_role("checkbox", name="TW-0812.dng takes part").click()
    expect(page.get_by_role("region", name="Left out")).to_contain_text("TW-0812.dng: left out by hand", timeout=60_000)
    page.get_by_role("checkbox", name="TW-0812.dng takes part").click()
    expect(done).to_contain_text("3 of 3 frames take part", timeout=60_000)
    page.get_by_role("combobox", name="reference").select_option(label="TW-0811")
    expect(done).to_contain_text("TW-0811.dng is the reference", timeout=60_000)
    page.get_by_role("slider", name="Noise reduction").press("End")
    expect(done).to_contain_text("is reduced, by 100 of 100", timeout=60_000)
    page.get_by_role("combobox", name="starts as").select_option("Range, deep")
    page.get_by_role("button", name="Make master").click()
    # who goes elsewhere meanwhile is told as well
    page.keyboard.press("Escape")
    expect(page.get_by_role("grid", name="Frames of the shoot")).to_be_visible()
    expect(page.get_by_text("TW-0810-0812-bracket.dng is made.")).to_be_visible(timeout=60_000)
    page.get_by_role("button", name="Develop it").click()
    drawn(page)
    expect(page.get_by_label("Highlights, number")).to_have_value(re.compile("60"))
    page.get_by_role("button", name="Deliver", exact=True).click()
    page.get_by_role("button", name="Deliver 1 file").click()
    ledger = page.get_by_role("region", name="Ledger")
    expect(ledger.get_by_role("cell", name="TW-0810-0812-bracket-web.jpg", exact=True)).to_be_visible(timeout=30_000)
    assert Delivered.get().width == 720

    # on the sheet it stands for its set; merged once more it is made again, with what it was made with
    master = Frame.get(Frame.made == "bracket")
    page.goto(f"/shoots/{shoot}")
    expect(cell(page, "TW-0810-0812-bracket")).to_contain_text("master")
    cell(page, "TW-0810-0812-bracket").click()
    page.keyboard.press("Space")
    expect(page.locator("[data-frame]")).to_have_count(10)
    cell(page, "TW-0800").click()
    cell(page, "TW-0810-0812-bracket").click()
    page.get_by_role("button", name="Merge", exact=True).click()
    expect(page.get_by_role("combobox", name="reference")).to_have_value("1", timeout=30_000)
    expect(done).to_contain_text("TW-0811.dng is the reference", timeout=60_000)
    page.get_by_role("checkbox", name="TW-0812.dng takes part").click()
    expect(page.get_by_role("region", name="Left out")).to_contain_text("TW-0812.dng", timeout=60_000)
    page.get_by_role("button", name="Make it again").click()
    expect(page.get_by_text("TW-0810-0812-bracket.dng is made.")).to_be_visible(timeout=60_000)
    again = Frame.get_by_id(master.id)
    assert again.content_hash != master.content_hash and Frame.select().where(Frame.made != "").count() == 1
    options = merges.made_of(context, master.id)["options"]
    assert options["leave_out"] == [2] and options["noise"] == 100


def test_frames_that_do_not_fit_are_told(page: Page, series: dict[str, Version]) -> None:  # noqa: F811
    frames = [series[name].frame_id for name in ("TW-0800", "TW-0801")]
    page.goto(f"/shoots/{series['TW-0800'].frame.shoot_id}/merge?frames={frames[0]},{frames[1]},999")
    # a frame that is gone is not counted; two of one exposure are merged all the same
    expect(page.get_by_role("region", name="What is done")).to_contain_text("2 of 2 frames take part", timeout=60_000)
    page.keyboard.press("Escape")
    expect(page.get_by_role("grid")).to_be_visible()


def test_a_look_that_is_told_late_and_wanted_no_more_is_stopped(page: Page, series: dict[str, Version]) -> None:  # noqa: F811
    frames = [series[name].frame_id for name in ("TW-0810", "TW-0811", "TW-0812")]
    held: list[Route] = []
    stopped: list[str] = []
    page.on("request", lambda r: stopped.append(r.url) if r.method == "DELETE" else None)

    def judged(route: Route) -> None:
        if held:
            route.continue_()
        else:
            held.append(route)

    page.route("**/merges/judge", judged)
    page.goto(f"/shoots/{series['TW-0810'].frame.shoot_id}/merge?frames={','.join(map(str, frames))}")
    page.get_by_role("slider", name="Noise reduction").press("End")
    done = page.get_by_role("region", name="What is done")
    expect(done).to_contain_text("is reduced, by 100 of 100", timeout=60_000)
    assert len(held) == 1 and not stopped
    with page.expect_response("**/merges/judge") as told:
        held[0].continue_()
    job = told.value.json()["id"]
    until(page, lambda: any(url.endswith(f"/api/jobs/{job}") for url in stopped))
    expect(done).to_contain_text("is reduced, by 100 of 100")


def test_several_brackets_are_masters_or_one_panorama(page: Page, context: Context, tmp_path: Path) -> None:
    for place, yaw in enumerate((-11.0, 8.0)):
        for k, ev in enumerate((0.0, -2.0, 2.0)):
            taken(tmp_path, f"TW-09{place}{k}", yaw, 0.0, ev=ev, at=f"2026-05-12T08:4{place}:0{2 * k}.000")
    shoot = shoots.create("Pit at two stops")
    bring_in.start(context, shoot, bring_in.files_in(tmp_path), develop_small=False)
    run_jobs(context)
    sets.start(context, shoot.id)
    run_jobs(context)
    page.goto(f"/shoots/{shoot.id}")
    expect(page.get_by_role("button", name=re.compile("2 sets"))).to_be_visible(timeout=30_000)
    page.keyboard.press("Control+a")
    merge = page.get_by_role("button", name="Merge", exact=True)
    merge.click()
    dialog = page.get_by_role("dialog", name="Merge")
    expect(dialog).to_contain_text("6 frames, 2 brackets")
    accessible(page)
    page.keyboard.press("Escape")
    expect(dialog).to_be_hidden()
    expect(merge).to_be_focused()
    merge.click()
    page.get_by_role("button", name="To a panorama").click()
    done = page.get_by_role("region", name="What is done")
    expect(done).to_contain_text("6 frames are 2 places with 3 exposures each, merged first.", timeout=120_000)
    before = page.get_by_role("img", name="Before: what it would be without the merge's work")
    page.get_by_role("button", name="Before").click()
    expect(before).to_be_visible()
    page.wait_for_function("image => image.complete && image.naturalWidth > 0", arg=before.element_handle())
    page.keyboard.press("o")
    expect(before).to_be_hidden()
    page.get_by_role("checkbox", name="merge the exposures of each place first").click()
    expect(done).to_contain_text("6 of 6 frames take part", timeout=120_000)

    page.get_by_role("button", name="To the sheet").click()
    page.keyboard.press("Control+a")
    merge.click()
    page.get_by_role("button", name="Make 2 masters").click()
    expect(page.get_by_text("2 brackets are being made, one master each.")).to_be_visible()
    run_jobs(context)
    assert sorted(f.name for f in Frame.select().where(Frame.made == "bracket")) == [
        "TW-0900-0902-bracket.dng", "TW-0910-0912-bracket.dng",
    ]  # fmt: skip
