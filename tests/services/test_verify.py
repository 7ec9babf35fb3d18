"""``verify`` notices whatever is lost of a library, goes on after every fault, and ``--repair`` puts right what can be."""

import json
import shutil
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import small_dng
from tests.services.test_use_cases import put, run_jobs
from zincplate.services import bring_in, deliver, shoots, verify, versions
from zincplate.services.context import Context
from zincplate.store.home import Home
from zincplate.store.models import Delivered, Frame, Version


@pytest.fixture
def library(context: Context, tmp_path: Path) -> Home:
    """Two originals, one of them adjusted and delivered; one frame left where it was."""
    folder = tmp_path / "card"
    folder.mkdir()
    for seed in (1, 2):
        (folder / f"TW-070{seed}.dng").write_bytes(small_dng(seed))
    (tmp_path / "TW-0703.dng").write_bytes(small_dng(3))
    shoot = shoots.create("Counted")
    bring_in.start(context, shoot, bring_in.files_in(folder), develop_small=False)
    bring_in.start(context, shoot, [tmp_path / "TW-0703.dng"], reference=True, develop_small=False)
    run_jobs(context)
    for version in Version.select():
        put(context, version.id, 0, {"tone": {"exposure_ev": 0.5}})
    small = deliver.Preset(name="Small", long_edge=64)
    deliver.start(context, [Version.select().first().id], [small])
    run_jobs(context)
    return context.home


def original(home: Home) -> Path:
    """One of the copies, writable."""
    path = home.originals / Frame.get(Frame.name == "TW-0701.dng").path
    path.chmod(0o644)
    return path


def recipe_file(home: Home) -> Path:
    return versions.readable_path(home, Version.select().first())


def lines(home: Home, change: Callable[[list[str]], list[str]]) -> None:
    home.manifest.write_text("".join(line + "\n" for line in change(home.manifest.read_text().splitlines())))


def entry(**more: object) -> str:
    return json.dumps({"path": "a/b.dng", "sha256": "0", "size": 1, **more})


HARMS: dict[str, tuple[Callable[[Home], object], str]] = {
    "list gone": (lambda h: h.manifest.unlink(), "list of originals is gone"),
    "list empty": (lambda h: h.manifest.write_text(""), "not in the list"),
    "list short": (lambda h: lines(h, lambda all_: all_[1:]), "not in the list"),
    "list with bytes": (lambda h: h.manifest.write_bytes(h.manifest.read_bytes() + b"\xff\xfe{}\n"), "Line 4 cannot be read"),
    "list with depth": (lambda h: lines(h, lambda a: [*a, "[" * 100_000]), "Line 4 cannot be read"),
    "list with a number": (lambda h: lines(h, lambda a: [*a, entry(path=7)]), "Line 4 cannot be read"),
    "list with a list": (lambda h: lines(h, lambda a: [*a, "[1]"]), "Line 4 cannot be read"),
    "list leads out": (lambda h: lines(h, lambda a: [*a, entry(path="../../etc/passwd")]), "outside the library"),
    "list with nothing": (lambda h: lines(h, lambda a: [*a, entry()]), "not where it was"),
    "original gone": (lambda h: original(h).unlink(), "TW-0701.dng: The original is not where it was"),
    "original changed": (lambda h: original(h).write_bytes(b"no"), "TW-0701.dng: The original is not what it was"),
    "folder gone": (lambda h: shutil.rmtree(h.originals), "originals: The folder is gone"),
    "stranger": (lambda h: (h.originals / "new.dng").write_bytes(b"1"), "new.dng: The file is here, but not in the list"),
    "recipe gone": (lambda h: recipe_file(h).unlink(), "readable recipe is not the one in the database"),
    "recipe bytes": (lambda h: recipe_file(h).write_bytes(b"\xff\xff"), "recipe cannot be read"),
    "recipe depth": (lambda h: recipe_file(h).write_text("[" * 100_000), "recipe cannot be read"),
    "recipe list": (lambda h: recipe_file(h).write_text("[]"), "recipe cannot be read"),
    "recipe folder": (lambda h: (h.recipes / "x.json").mkdir() or recipe_file(h).unlink(), "not the one in the database"),
    "recipes gone": (lambda h: shutil.rmtree(h.recipes), "recipes: The folder is gone"),
    "delivery gone": (lambda h: (h.deliveries / Delivered.get().path).unlink(), "delivered file is not in"),
    "delivery changed": (lambda h: (h.deliveries / Delivered.get().path).write_bytes(b"no"), "changed after it was delivered"),
    "ledger leads out": (lambda h: Delivered.update(path="../../x.jpg").execute(), "outside the deliveries"),
    "row of another": (
        lambda h: Frame.update(content_hash="f" * 64).where(Frame.name == "TW-0702.dng").execute(),
        "another content hash",
    ),
}


def test_a_whole_library_has_no_problems(library: Home) -> None:
    report = verify.verify(library, database=True)
    assert report.problems == [] and (report.originals, report.recipes, report.deliveries) == (3, 3, 1)
    assert verify.verify(library).problems == [], "without the database too"


@pytest.mark.parametrize("harm", HARMS)
def test_every_harm_is_told(library: Home, harm: str) -> None:
    do, words = HARMS[harm]
    do(library)
    told = verify.verify(library, database=True).problems
    assert any(words in line for line in told), told


def test_faults_do_not_hide_each_other(library: Home) -> None:
    for harm in ("list with bytes", "original gone", "recipe bytes", "delivery changed"):
        HARMS[harm][0](library)
    told = " ".join(verify.verify(library, database=True).problems)
    for harm in ("list with bytes", "original gone", "recipe bytes", "delivery changed"):
        assert HARMS[harm][1] in told


@pytest.mark.parametrize(
    "harm", ["list gone", "list empty", "list short", "list with bytes", "recipe gone", "recipe bytes", "recipes gone"]
)
def test_what_the_database_knows_is_put_right(library: Home, harm: str) -> None:
    HARMS[harm][0](library)
    report = verify.repair(library)
    assert report.problems == [] and report.repaired
    assert verify.repair(library).repaired == [], "once"


def test_what_is_lost_is_not_repaired_away(library: Home) -> None:
    original(library).unlink()
    library.manifest.unlink()
    report = verify.repair(library)
    assert any("TW-0701.dng: The original is not where it was" in line for line in report.problems)
    changed = library.originals / Frame.get(Frame.name == "TW-0702.dng").path
    changed.chmod(0o644)
    changed.write_bytes(b"no")
    assert any("TW-0702.dng: The original is not what it was" in line for line in verify.repair(library).problems)


def test_no_library_is_no_sound_library(tmp_path: Path) -> None:
    assert verify.verify(Home(tmp_path / "nowhere")).problems
