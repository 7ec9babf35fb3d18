"""Finding across shoots, kept searches, labels, and frames held against each other."""

from datetime import date, datetime
from pathlib import Path

import pytest

from tests.conftest import small_dng
from tests.services.test_use_cases import put, run_jobs
from zincplate.services import bring_in, comparing, labels, shoots
from zincplate.services.context import Context, NotFound, UserError
from zincplate.services.find import Catalogue, Kept, Search, find, keep_searches, kept_searches, known
from zincplate.store.models import Frame, Shoot, now


@pytest.fixture
def frames(context: Context, tmp_path: Path) -> list[Frame]:
    """Four frames in two shoots."""
    for s in range(2):
        made = shoots.create(f"Shoot {s}")
        paths = []
        for i in range(2):
            paths.append(tmp_path / f"TW-08{s}{i}.dng")
            paths[-1].write_bytes(small_dng(seed=90 + 2 * s + i, meter_ev=0.3 - i, captured_at=f"2026-05-1{s}T07:08:0{i}.500"))
        bring_in.start(context, made, paths, develop_small=False)
    run_jobs(context)
    return list(Frame.select().order_by(Frame.name))


def names(catalogue: Catalogue, **asked: object) -> list[str]:
    return [f["name"][3:7] for f in find(catalogue, Search.model_validate(asked))["frames"]]


def test_everything_that_is_asked_for_has_to_hold(context: Context, frames: list[Frame]) -> None:
    catalogue = Catalogue()
    assert names(catalogue) == ["0811", "0810", "0801", "0800"]  # the newest first
    words = "TW-0800.dng\nKeramik aus \u00d6sterreich"
    Frame.update(words=words, changed_at=now()).where(Frame.id == frames[0].id).execute()
    assert names(catalogue, text="\u00f6STERREICH kera") == names(catalogue, text="osterreich") == ["0800"]
    assert names(catalogue, text="keramik bowl") == []
    shoots.mark_frames([frames[1].id], mark="keep", stars=4, label="proof")
    assert names(catalogue, mark="keep") == names(catalogue, stars=4) == names(catalogue, label="proof") == ["0801"]
    assert names(catalogue, mark="unmarked") == ["0811", "0810", "0800"]
    put(context, frames[2].cover_id, 0, {"tone": {"contrast": 5}})
    assert names(catalogue, adjusted=True) == ["0810"] and len(names(catalogue, adjusted=False)) == 3
    assert names(catalogue, delivered=True) == [] and len(names(catalogue, delivered=False)) == 4
    assert names(catalogue, first_day=date(2026, 5, 11)) == ["0811", "0810"]
    assert names(catalogue, last_day=date(2026, 5, 10), stars=1) == ["0801"]
    Frame.update(captured_at=datetime(2026, 5, 11), changed_at=now()).where(Frame.id == frames[1].id).execute()
    assert names(catalogue, last_day=date(2026, 5, 10)) == ["0800"]  # midnight belongs to the next day
    Frame.update(captured_at=datetime(2026, 5, 10, 7, 8, 1), changed_at=now()).where(Frame.id == frames[1].id).execute()
    assert names(catalogue, camera="Pennick Pennick Test 1", lens="nothing") == []
    page = find(catalogue, Search(), limit=1, start=2)
    assert page["total"] == 4 and page["frames"][0]["name"] == "TW-0801.dng" and page["frames"][0]["shoot_name"] == "Shoot 0"
    with pytest.raises(UserError, match="first day"):
        find(catalogue, Search(first_day=date(2026, 5, 2), last_day=date(2026, 5, 1)))
    assert known(catalogue)["labels"] == ["proof"]
    # taken out, and gone with its shoot; what another one is going through stays as it was handed out
    going_through = iter(catalogue.rows())
    shoots.remove([frames[3].id])
    assert names(catalogue) == ["0810", "0801", "0800"]
    assert len(list(going_through)) == 4
    shoots.restore([frames[3].id])
    assert len(names(catalogue)) == 4
    Shoot.delete().where(Shoot.id == frames[0].shoot_id).execute()
    assert names(catalogue) == ["0811", "0810"]


def test_searches_and_labels_are_kept_in_readable_files(context: Context) -> None:
    home = context.home
    assert kept_searches(home) == [] and [x.name for x in labels.labels(home)] == ["proof", "print", "web", "ask"]
    keep_searches(home, [Kept(name="Keepers", search=Search(mark="keep", first_day=date(2026, 5, 1)))])
    assert kept_searches(home)[0].search.first_day == date(2026, 5, 1) and '"Keepers"' in home.searches.read_text()
    with pytest.raises(UserError):
        keep_searches(home, [Kept(name="A", search=Search()), Kept(name="A", search=Search(stars=1))])
    labels.set_labels(home, [labels.Label(name="client", ink="teal")])
    assert [x.name for x in labels.labels(home)] == ["client"]
    with pytest.raises(UserError):
        labels.set_labels(home, [labels.Label(name="a", ink="teal"), labels.Label(name=" a", ink="ink")])
    home.labels.write_text("[")
    home.searches.write_text("[{}]")
    assert len(labels.labels(home)) == 4 and kept_searches(home) == []


def test_frames_held_against_each_other(context: Context, frames: list[Frame]) -> None:
    ids = [f.id for f in frames]
    whole = comparing.compare(context, ids, None)
    assert [r["frame"] for r in whole] == ids and max(r["sharpness"] for r in whole) == 100
    assert whole[0]["exposure_ev"] == 0 and whole[1]["exposure_ev"] == pytest.approx(-1, abs=0.03)
    at = comparing.compare(context, ids[:2], (0.99, 0.01))
    assert all(0 < r["sharpness"] <= 100 for r in at)
    with pytest.raises(UserError):
        comparing.compare(context, ids[:1], None)
    with pytest.raises(NotFound):
        comparing.compare(context, [ids[0], 10**6], None)
