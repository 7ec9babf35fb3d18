"""In the browser: awkward files brought in, found by their words, looked at, their facts and notes read, the file's own lens
left out."""

import re
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.conftest import gradient
from tests.e2e.conftest import accessible, drawn, saved
from tests.formats.test_metadata import EVERYTHING
from tests.reference.files.test_dng_opcodes import LENSES, THIRD, listed, spotted
from tests.reference.files.test_dng_pixels import KINDS as DNGS
from tests.reference.files.test_modern import KINDS as MODERN
from tests.services.test_use_cases import run_jobs
from zincplate.formats.encode import encode
from zincplate.services import bring_in, shoots
from zincplate.services.context import Context
from zincplate.store.models import Frame, Version


def test_files_of_every_kind(page: Page, context: Context, tmp_path: Path) -> None:
    folder = tmp_path / "box"
    folder.mkdir()
    (folder / "TW-0700.jpg").write_bytes(encode(gradient(8, 300, 400), "jpeg", "srgb", EVERYTHING))
    (folder / "TW-0702.dng").write_bytes(DNGS["six-by-six"][0].write())
    step, place = LENSES["three"]
    (folder / "TW-0703.dng").write_bytes(spotted(place).but(tags={THIRD: listed(step)}).write())
    (folder / "TW-0704.exr").write_bytes(MODERN["exr-half"][0]())
    made = shoots.create("Every kind")
    bring_in.start(context, made, bring_in.files_in(folder))
    run_jobs(context)

    page.goto(f"/shoots/{made.id}")
    expect(page.locator("[data-frame]")).to_have_count(4, timeout=60_000)
    find = page.get_by_role("searchbox", name=re.compile("Find frames"))
    find.fill("ofen jorgensen")
    expect(page.locator("[data-frame]")).to_have_count(1)
    accessible(page)
    find.press("Escape")
    expect(page.locator("[data-frame]")).to_have_count(4)

    # facts by key, and by what the foot bar says
    page.get_by_role("gridcell", name=re.compile("TW-0700")).dblclick()
    drawn(page)
    page.keyboard.press("i")
    drawer = page.get_by_role("dialog", name="Facts of the file")
    expect(drawer).to_contain_text("Mára Jørgensen")
    expect(drawer).to_contain_text("33.85678° south")
    accessible(page)
    page.keyboard.press("Escape")
    expect(drawer).to_have_count(0)
    six = Frame.get(Frame.name == "TW-0702.dng")
    page.goto(f"/shoots/{made.id}/frames/{six.id}")
    drawn(page)
    page.get_by_role("button", name=re.compile("pattern is 6 x 6")).click()
    expect(drawer).to_contain_text("To know about this file")
    page.keyboard.press("Escape")

    # the lens that a file describes is on, and can be left out
    bent = Frame.get(Frame.name == "TW-0703.dng")
    page.goto(f"/shoots/{made.id}/frames/{bent.id}?step=framing")
    drawn(page)
    page.get_by_role("button", name="Lens", exact=True).click()
    expect(page.get_by_label("Lens profile", exact=True)).to_have_value("")
    expect(page.get_by_text("The file describes its lens itself.")).to_be_visible()
    page.get_by_role("radio", name="left out").or_(page.get_by_role("button", name="left out")).click()
    version = Version.get(Version.frame == bent.id)
    saved(version, lambda v: v.recipe["framing"]["own_lens"] == "leave")
    expect(page.get_by_role("slider", name=re.compile("^Profile, distortion"))).to_have_count(0)
