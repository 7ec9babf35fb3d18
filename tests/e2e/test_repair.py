"""In the browser: the yard at dusk cleared, the scanned sheet cleaned, the bust healed; then framing changes, and it is
delivered."""

import json
import re
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import tifffile
from playwright.sync_api import Dialog, Page, Route, expect

from tests.conftest import demo_dng
from tests.e2e.conftest import accessible, drawn, saved
from tests.services.test_use_cases import run_jobs
from zincplate.cli.main import main
from zincplate.demo.sheet import scan
from zincplate.services import bring_in, changes, shoots
from zincplate.services.context import Context
from zincplate.store.models import Frame, Version


@pytest.fixture
def yard(context: Context, tmp_path: Path) -> dict[str, Version]:
    """The yard at dusk and the sheet."""
    made = shoots.create("Yard")
    (tmp_path / "TW-0091.dng").write_bytes(demo_dng(91))
    tifffile.imwrite(tmp_path / "TW-0092.tif", scan(), photometric="rgb")
    bring_in.start(context, made, bring_in.files_in(tmp_path))
    run_jobs(context)
    return {v.frame.name[:7]: v for v in Version.select().join(Frame).where(Frame.shoot == made)}


def repairs(version: Version) -> list[dict]:
    found: list[dict] = Version.get_by_id(version.id).recipe["repair"]["repairs"]
    return found


def tool(page: Page, name: str, size: str = "") -> dict:
    page.get_by_role("group", name="Tools of repair").get_by_role("button", name=name, exact=True).click()
    if size:
        page.get_by_label("Size, number").fill(size)
        page.keyboard.press("Enter")
    box = page.get_by_role("main").bounding_box()
    assert box is not None
    return box


def paint(page: Page, *places: tuple[float, float]) -> None:
    page.mouse.move(*places[0])
    page.mouse.down()
    for place in places[1:]:
        page.mouse.move(*place, steps=6)
    page.mouse.up()


def until(page: Page, holds: Callable[[], bool], tries: int = 100) -> None:
    while not holds():
        tries -= 1
        assert tries, "it never came"
        page.wait_for_timeout(100)


def bench(page: Page, version: Version) -> None:
    page.goto(f"/shoots/{version.frame.shoot_id}/frames/{version.frame_id}")
    drawn(page)
    page.keyboard.press("Shift+Digit6")
    expect(page.get_by_role("heading", name="Repair")).to_be_visible()


def test_the_yard_cleared_and_delivered(page: Page, yard: dict[str, Version], context: Context, tmp_path: Path) -> None:
    version = yard["TW-0091"]
    bench(page, version)
    accessible(page)

    # the small handcart: filled at once in a hurry, then with care; one step of undo
    box = tool(page, "Removal", "3")
    at = lambda x, y: (box["x"] + x * box["width"], box["y"] + y * box["height"])  # noqa: E731
    paint(page, at(0.11, 0.61), at(0.18, 0.62), at(0.28, 0.63), at(0.23, 0.65), at(0.19, 0.66))
    row = page.get_by_role("listitem", name="Removal 1")
    expect(row).to_be_visible()
    filled = saved(version, lambda v: len(v.recipe["repair"]["repairs"]) == 1 and v.recipe["repair"]["repairs"][0]["fill"] != "")
    expect(row).to_contain_text("fill 1")
    page.keyboard.press("Control+z")
    saved(version, lambda v: not v.recipe["repair"]["repairs"])
    page.keyboard.press("Control+Shift+z")
    saved(version, lambda v: v.recipe["repair"] == filled.recipe["repair"])

    # two cables right after each other: both are filled, in their turn
    tool(page, "Removal")
    tool(page, "Removal", "1")
    paint(page, at(0.02, 0.345), at(0.09, 0.325))
    paint(page, at(0.02, 0.16), at(0.12, 0.145))
    cables = saved(
        version, lambda v: len(v.recipe["repair"]["repairs"]) == 3 and all(r["fill"] for r in v.recipe["repair"]["repairs"])
    )
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    saved(version, lambda v: len(v.recipe["repair"]["repairs"]) == 1)
    assert cables.recipe["repair"]["repairs"][0] == filled.recipe["repair"]["repairs"][0]
    row.get_by_role("button", name=re.compile("1 *Removal")).click()

    # another fill by key
    expect(row.get_by_role("button", name=re.compile("1 *Removal"))).to_have_attribute("aria-expanded", "true")
    page.keyboard.press("n")
    other = saved(
        version, lambda v: v.recipe["repair"]["repairs"][0]["seed"] == 1 and v.recipe["repair"]["repairs"][0]["fill"] != ""
    )
    assert other.recipe["repair"]["repairs"][0]["fill"] != filled.recipe["repair"]["repairs"][0]["fill"]

    # a cloned stroke from a picked place, a second one that goes on, one rubbed out
    tool(page, "Clone", "4")
    page.keyboard.down("Alt")
    page.mouse.click(*at(0.5, 0.78))
    page.keyboard.up("Alt")
    page.wait_for_timeout(300)
    paint(page, at(0.3, 0.74), at(0.34, 0.75))
    saved(version, lambda v: len(v.recipe["repair"]["repairs"]) == 2)
    paint(page, at(0.36, 0.75), at(0.38, 0.76))
    clone = saved(version, lambda v: len(v.recipe["repair"]["repairs"][-1]["strokes"]) == 2).recipe["repair"]["repairs"][1]
    scale = (box["width"] - 36) / 2400
    assert abs(clone["dx"] * 2400 * scale - 0.2 * box["width"]) < 4 and abs(clone["dy"] * 2400 * scale - 0.04 * box["height"]) < 4
    page.keyboard.press("e")
    paint(page, at(0.38, 0.76), at(0.385, 0.76))
    saved(version, lambda v: v.recipe["repair"]["repairs"][1]["strokes"][-1]["erase"])
    page.keyboard.press("e")

    # a patch drawn round, its source moved by the hand and by keys, weakened to a half
    tool(page, "Patch")
    paint(page, at(0.7, 0.82), at(0.76, 0.81), at(0.77, 0.86), at(0.71, 0.87), at(0.7, 0.83))
    saved(version, lambda v: len(v.recipe["repair"]["repairs"]) == 3)
    drawn(page)  # where the grip is follows from what the server tells of places
    before = repairs(version)[2]
    grip = page.get_by_test_id("repair-source")
    place = grip.bounding_box()
    assert place is not None
    asked: list[bool] = []
    listen = lambda r: asked.append(bool(r.post_data_json["quick"])) if "/view" in r.url and r.post_data else None  # noqa: E731
    page.on("request", listen)
    page.mouse.move(place["x"] + 12, place["y"] + 12)
    page.mouse.down()
    page.mouse.move(place["x"] - 8, place["y"] + 12, steps=3)
    until(page, lambda: True in asked)  # held until then: what was asked before may still be with the server
    page.mouse.move(place["x"] - 28, place["y"] + 12, steps=3)
    page.mouse.up()
    dragged = saved(version, lambda v: v.recipe["repair"]["repairs"][2]["dx"] != before["dx"]).recipe["repair"]["repairs"][2]
    assert abs((dragged["dx"] - before["dx"]) * 2400 * scale + 40) < 3
    # while it is held pictures may be less exact; the last one, when the hand has let go, is what is delivered
    until(page, lambda: not asked[-1])
    page.wait_for_timeout(600)
    assert not asked[-1]
    page.remove_listener("request", listen)
    grip.focus()
    page.keyboard.press("Shift+ArrowRight")
    moved = saved(version, lambda v: v.recipe["repair"]["repairs"][2]["dx"] > dragged["dx"])
    assert abs((moved.recipe["repair"]["repairs"][2]["dx"] - dragged["dx"]) * 2400 * scale - 10) < 2
    page.get_by_label("Strength, number").fill("50")
    page.keyboard.press("Enter")
    saved(version, lambda v: v.recipe["repair"]["repairs"][2]["strength"] == 50)
    accessible(page)

    # a spot by keyboard; switched, done earlier, struck out
    tool(page, "Spot", "2")
    page.get_by_test_id("brush").focus()
    page.keyboard.press("Shift+ArrowUp")
    page.keyboard.press("Enter")
    saved(version, lambda v: len(v.recipe["repair"]["repairs"]) == 4 and v.recipe["repair"]["repairs"][3]["dx"] != 0)
    page.get_by_role("switch", name="Spot 4 switched on").click()
    saved(version, lambda v: not v.recipe["repair"]["repairs"][3]["on"])
    page.get_by_role("button", name="Do it earlier").click()
    saved(version, lambda v: v.recipe["repair"]["repairs"][2]["kind"] == "spot")
    page.get_by_role("button", name="Strike out Spot 3").click()
    saved(version, lambda v: [r["kind"] for r in v.recipe["repair"]["repairs"]] == ["removal", "clone", "patch"])

    # the perspective changes afterwards; what is delivered is what the command line makes of the same recipe
    page.keyboard.press("Shift+Digit1")
    page.get_by_role("button", name="Movements").click()
    page.get_by_label("Tilt, number").fill("4")
    page.keyboard.press("Enter")
    final = saved(version, lambda v: v.recipe["framing"]["tilt"] == 4)
    recipe = tmp_path / "yard.json"
    recipe.write_text(json.dumps(final.recipe))
    page.get_by_role("banner").get_by_role("button", name="Deliver").click()
    page.get_by_role("checkbox", name="TIFF, 16 bit").check()
    page.get_by_role("button", name=re.compile(r"Deliver \d files?")).click()
    link = page.get_by_role("link", name="Download TW-0091.tif")
    expect(link).to_be_visible(timeout=60_000)
    with page.expect_download() as tiff:
        link.click()
    own, plain = tmp_path / "own.tif", tmp_path / "plain.tif"
    develop = ["develop", str(tmp_path / "TW-0091.dng"), "--depth", "16", "--recipe", str(recipe)]
    assert main([*develop, "-o", str(own)]) == 0
    assert np.array_equal(tifffile.imread(tiff.value.path()), tifffile.imread(own))
    assert main([*develop, "--set", "repair.repairs=[]", "-o", str(plain)]) == 0
    changed = (tifffile.imread(plain) != tifffile.imread(own)).any(2)
    assert 0.01 < changed.mean() < 0.06


def test_the_sheet_cleaned(page: Page, yard: dict[str, Version]) -> None:
    version = yard["TW-0092"]
    bench(page, version)
    page.get_by_role("button", name="Find all dust").click()
    walk = page.get_by_role("region", name="Found dust")
    expect(walk).to_be_visible(timeout=30_000)
    expect(walk).to_contain_text(re.compile(r"Spot 1 of \d\d"))
    accessible(page)
    page.keyboard.press("y")
    saved(version, lambda v: len(v.recipe["repair"]["repairs"]) == 1)
    page.keyboard.press("x")
    expect(walk).to_contain_text("1 mended, 1 left")
    page.get_by_role("button", name=re.compile(r"^Mend \d+ that are at least")).click()
    many = saved(version, lambda v: len(v.recipe["repair"]["repairs"]) > 20)
    assert all(r["kind"] == "spot" and (r["dx"] or r["dy"]) for r in many.recipe["repair"]["repairs"])
    walk.get_by_role("button", name="Done").click()
    # all of it was one step
    page.keyboard.press("Control+z")
    saved(version, lambda v: len(v.recipe["repair"]["repairs"]) == 1)
    # a stain under a picked colour; without a colour it is said what is missing
    box = tool(page, "Cover", "5")
    at = lambda x, y: (box["x"] + x * box["width"], box["y"] + y * box["height"])  # noqa: E731
    paint(page, at(0.6, 0.75), at(0.62, 0.76))
    expect(page.get_by_text("Pick the colour first")).to_be_visible()
    page.keyboard.down("Alt")
    page.mouse.click(*at(0.62, 0.9))
    page.keyboard.up("Alt")
    expect(page.get_by_role("img", name="Picked colour")).to_be_visible()
    paint(page, at(0.66, 0.85), at(0.66, 0.9))
    cover = saved(version, lambda v: v.recipe["repair"]["repairs"][-1]["kind"] == "cover").recipe["repair"]["repairs"][-1]
    assert cover["grain"] and 0.3 < cover["colour"][1] < 0.95
    # the tool stays in the hand on the next frame
    page.get_by_role("heading", name="Repair").click()  # on the picture arrows move the brush
    page.keyboard.press("ArrowLeft")
    expect(page.get_by_role("banner")).to_contain_text("TW-0091")
    tools = page.get_by_role("group", name="Tools of repair")
    expect(tools.get_by_role("button", name="Cover")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("ArrowRight")
    expect(page.get_by_role("banner")).to_contain_text("TW-0092")
    drawn(page)
    # dust light on and off by key; Esc puts the tool down
    page.keyboard.press("a")
    expect(page.get_by_role("button", name="Dust light")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("Escape")
    expect(tools.get_by_role("button", name="Cover")).to_have_attribute("aria-pressed", "false")
    # a pen's stroke is as wide as it was pressed; what pressure does is asked from then on
    count = len(repairs(version))
    tool(page, "Removal", "3")
    assert not page.get_by_label("What a pen's pressure does").is_visible()
    hand = page.context.new_cdp_session(page)
    moves = [("mousePressed", 0.25, 0.2)] + [("mouseMoved", 0.25 + 0.01 * i, 0.2 + 0.1 * i) for i in range(1, 8)]
    for kind, x, force in [*moves, ("mouseReleased", 0.32, 0.0)]:
        px, py = at(x, 0.6)
        more = {"button": "left", "buttons": 1, "clickCount": 1, "pointerType": "pen", "force": force}
        hand.send("Input.dispatchMouseEvent", {"type": kind, "x": px, "y": py, **more})
        page.wait_for_timeout(40)
    pressed = saved(version, lambda v: len(v.recipe["repair"]["repairs"]) == count + 1)
    widths = pressed.recipe["repair"]["repairs"][-1]["strokes"][0]["widths"]
    assert widths[0] <= 30 and widths[-1] >= 80 and pressed.recipe["repair"]["repairs"][-1]["strokes"][0]["flow"] == 100
    page.get_by_label("What a pen's pressure does").select_option("both")
    # a reload while a spot's place is being looked for is asked about; who stays has the spot
    before = len(repairs(version))
    tool(page, "Spot", "2")
    held: list[Route] = []
    page.route("**/repairs/sources", lambda route: held.append(route))
    asked: list[str] = []

    def stay(dialog: Dialog) -> None:
        asked.append(dialog.type)
        dialog.dismiss()

    page.on("dialog", stay)
    page.mouse.click(*at(0.4, 0.4))
    until(page, lambda: len(held) == 1)
    page.evaluate("void setTimeout(() => location.reload())")
    until(page, lambda: asked == ["beforeunload"])
    held[0].continue_()
    page.unroute("**/repairs/sources")
    saved(version, lambda v: len(v.recipe["repair"]["repairs"]) == before + 1)
    # nothing is asked when nothing is being worked out
    page.reload()
    drawn(page)
    assert asked == ["beforeunload"]
    # dust that is looked for on each frame goes to another subject, too; at the same places it does not by itself
    page.get_by_role("button", name="Carry", exact=True).click()
    sheet = page.get_by_role("dialog", name="Carry")
    for box in sheet.get_by_role("checkbox").all():
        if box.is_checked():
            box.uncheck()
    sheet.get_by_role("checkbox", name=re.compile("epair")).check()
    sheet.get_by_role("radio", name=re.compile("^all ")).click()
    expect(sheet.get_by_role("status")).to_have_text("1 of 1 do not fit.", timeout=20_000)
    expect(sheet.get_by_role("button", name=re.compile("^Carry to"))).to_be_disabled()
    sheet.get_by_role("radio", name="where dust is seen").click()
    expect(sheet.get_by_role("status")).to_have_text("Every frame is looked at for its own dust, whatever its light and subject.")
    expect(sheet.get_by_role("button", name="Carry to 1 frame")).to_be_enabled()
    accessible(page)


def test_the_front_straightened_and_its_corners_filled(page: Page, context: Context, tmp_path: Path) -> None:
    """Tilt and turn leave corners bare; they are filled at once, one from where it is drawn, and delivered so."""
    made = shoots.create("Front")
    (tmp_path / "TW-0001.dng").write_bytes(demo_dng(1))
    bring_in.start(context, made, bring_in.files_in(tmp_path))
    run_jobs(context)
    version = Version.select().join(Frame).where(Frame.shoot == made).get()
    crop = {"reach_beyond": True, "crop_x": 0.5, "crop_y": 0.333, "crop_width": 0.98, "crop_height": 0.66}
    change = changes.Change(revision=0, do="set", values={"framing": {"angle": 2.5, "tilt": 6, **crop}})
    changes.make(context, version.id, change)
    bench(page, version)
    expect(page.get_by_text("lies beyond the frame")).to_be_visible()
    page.get_by_role("button", name="Fill it").click()
    pieces = saved(version, lambda v: len(v.recipe["repair"]["repairs"]) == 4)
    expect(page.get_by_text("lies beyond the frame")).to_have_count(0, timeout=20_000)
    saved(version, lambda v: all(r["fill"] for r in v.recipe["repair"]["repairs"]), 60)
    page.keyboard.press("Control+z")
    saved(version, lambda v: not v.recipe["repair"]["repairs"])
    page.keyboard.press("Control+Shift+z")
    filled = saved(
        version,
        lambda v: [r["id"] for r in v.recipe["repair"]["repairs"]] == [r["id"] for r in pieces.recipe["repair"]["repairs"]],
    )

    row = page.get_by_role("listitem", name="Removal 1")
    row.get_by_role("button", name=re.compile("1 *Removal")).click()
    row.get_by_role("button", name="Draw where from").click()
    accessible(page)
    outline = page.get_by_test_id("outline")
    box = outline.bounding_box()
    assert box is not None
    at = lambda x, y: (box["x"] + x * box["width"], box["y"] + y * box["height"])  # noqa: E731
    paint(page, at(0.6, 0.7), at(0.9, 0.7), at(0.9, 0.84), at(0.6, 0.84), at(0.6, 0.71))
    expect(row).to_contain_text("Taken from where it was drawn")
    final = saved(
        version, lambda v: v.recipe["repair"]["repairs"][0]["source_outline"] and v.recipe["repair"]["repairs"][0]["fill"], 30
    )
    assert final.recipe["repair"]["repairs"][0]["fill"] != filled.recipe["repair"]["repairs"][0]["fill"]

    recipe = tmp_path / "front.json"
    recipe.write_text(json.dumps(final.recipe))
    own, plain, again = (tmp_path / name for name in ("own.tif", "plain.tif", "again.json"))
    develop = ["develop", str(tmp_path / "TW-0001.dng"), "--recipe", str(recipe)]
    assert main([*develop, "-o", str(own)]) == 0
    assert main([*develop, "--set", "repair.repairs=[]", "-o", str(plain)]) == 0
    changed = (tifffile.imread(plain) != tifffile.imread(own)).any(2)
    assert 0.01 < changed.mean() < 0.05 and changed[-40:, :400].mean() > 0.9
    mend = ["mend", str(tmp_path / "TW-0001.dng"), "--recipe", str(recipe), "--beyond", "-o", str(again)]
    assert main(mend) == 1  # nothing is left to fill
