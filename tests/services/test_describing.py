"""What is written about frames: for many at once, found, delivered, taken back; the original stays as it is."""

import io
from pathlib import Path

import exifread
import pytest
from PIL import Image

from tests.conftest import small_dng
from tests.services.test_use_cases import run_jobs
from tests.services.test_watching import XMP
from zincplate.formats.decode import facts
from zincplate.services import bring_in, deliver, describing, shoots, views
from zincplate.services.context import Context, NotFound, UserError
from zincplate.services.describing import Before, Description
from zincplate.services.find import Catalogue, Search, find
from zincplate.store.models import Delivered, Frame


@pytest.fixture
def two(context: Context, tmp_path: Path) -> list[Frame]:
    made = shoots.create("Described")
    for i in range(2):
        (tmp_path / f"TW-074{i}.dng").write_bytes(small_dng(seed=30 + i))
    (tmp_path / "TW-0740.xmp").write_text(XMP, encoding="utf-8")
    bring_in.start(context, made, bring_in.files_in(tmp_path), develop_small=False)
    run_jobs(context)
    return list(Frame.select().where(Frame.shoot == made).order_by(Frame.name))


def test_many_are_described_found_and_put_back(context: Context, two: list[Frame]) -> None:
    ids = [f.id for f in two]
    common = describing.summary(ids)
    assert common["title"] is None and common["artist"] == "Harrow Lane Tileworks"
    assert common["keywords"] == [] and common["keywords_of_some"] == ["celadon", "glaze"]
    wanted = Description(
        title=" Opening day ", place="Kiln hall", add_keywords=["glaze", "two  words"], remove_keywords=["celadon"]
    )
    before = describing.describe(ids, wanted)
    common = describing.summary(ids)
    assert (common["title"], common["place"], common["keywords"]) == ("Opening day", "Kiln hall", ["glaze", "two words"])
    assert common["artist"] == "Harrow Lane Tileworks" and common["caption"] == ""
    assert find(Catalogue(), Search(text="opening kiln"))["total"] == 2
    told = {f["name"]: f["text"] for g in views.facts_of(context, ids[1])["groups"] for f in g["facts"]}
    assert told["Title"] == "Opening day"
    describing.put_back([Before.model_validate(row) for row in before])
    again = describing.summary(ids)
    assert again["title"] is None and again["keywords_of_some"] == ["celadon", "glaze"] and again["place"] == ""
    assert Frame.get_by_id(ids[1]).written is None and find(Catalogue(), Search(text="opening day"))["total"] == 0
    # an empty text takes away
    describing.describe(ids, Description(artist=""))
    assert describing.summary(ids)["artist"] == ""
    # and of the rest nothing is said: keywords that a sidecar brings later are still taken from there
    assert Frame.get_by_id(ids[1]).written == {"artist": ""}
    with pytest.raises(NotFound):
        describing.describe([10**6], Description(title="x"))
    with pytest.raises(UserError):
        describing.describe(ids, Description(add_keywords=["x" * 201]))


def test_deliveries_say_what_was_written_and_originals_do_not_change(context: Context, two: list[Frame]) -> None:
    original = context.home.originals / two[1].path
    content = original.read_bytes()
    describing.describe([two[1].id], Description(title="Opening day", copyright="M. Harrow", add_keywords=["celadon"]))
    shoots.mark_frames([two[1].id], stars=3, label="proof")
    for frame in two:
        deliver.start(context, [frame.cover_id], [deliver.PRESETS[1]])
    run_jobs(context)
    first, second = (context.home.deliveries / d.path for d in Delivered.select().order_by(Delivered.id))
    told, _ = facts(second)
    assert (told.title, told.copyright, told.keywords, told.rating, told.label) == (
        "Opening day",
        "M. Harrow",
        ("celadon",),
        3,
        "proof",
    )
    # what stood beside the file goes along too
    beside, _ = facts(first)
    assert (beside.title, beside.rating, beside.label, set(beside.keywords)) == ("Kiln opening", 4, "print", {"glaze", "celadon"})
    # a second reader
    tags = exifread.process_file(io.BytesIO(second.read_bytes()))
    assert str(tags["Image Copyright"]) == "M. Harrow"
    assert b"Opening day" in Image.open(second).info["xmp"]
    assert original.read_bytes() == content
