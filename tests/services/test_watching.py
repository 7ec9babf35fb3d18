"""What comes with files and by itself: words and recipes beside a picture, a preset on bringing in, watched folders."""

import json
import os
import shutil
from pathlib import Path

import pytest

from tests.conftest import small_dng
from tests.services.test_use_cases import put, run_jobs
from zincplate.recipe.document import Recipe
from zincplate.services import bring_in, frame_lists, shoots, versions, watching
from zincplate.services.context import Context, NotFound, UserError
from zincplate.services.watching import Watched, Watcher
from zincplate.store.models import Frame, Shoot, Version

XMP = """<?xpacket begin='\ufeff' id='W5M0MpCehiHzreSzNTczkc9d'?><x:xmpmeta xmlns:x="adobe:ns:meta/">
<rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description rdf:about=""
 xmlns:xmp="http://ns.adobe.com/xap/1.0/" xmlns:dc="http://purl.org/dc/elements/1.1/" xmp:Rating="4" xmp:Label="print">
<dc:title><rdf:Alt><rdf:li xml:lang="x-default">Kiln opening</rdf:li></rdf:Alt></dc:title>
<dc:subject><rdf:Bag><rdf:li>glaze</rdf:li><rdf:li>celadon</rdf:li></rdf:Bag></dc:subject>
</rdf:Description></rdf:RDF></x:xmpmeta><?xpacket end='w'?>"""


def brought(context: Context, name: str, *paths: Path, **how: str) -> dict[str, Frame]:
    made = shoots.create(name)
    bring_in.start(context, made, list(paths), develop_small=False, **how)  # type: ignore[arg-type]
    run_jobs(context)
    return {f.name: f for f in Frame.select().where(Frame.shoot == made)}


def version_of(frame: Frame) -> Version:
    return Version.get_by_id(frame.cover_id)


def test_words_and_recipes_beside_a_picture(context: Context, tmp_path: Path) -> None:
    first, second, third = (tmp_path / f"TW-070{i}.dng" for i in range(3))
    for i, path in enumerate((first, second, third)):
        path.write_bytes(small_dng(seed=i))
    (tmp_path / "TW-0700.XMP").write_text(XMP, encoding="utf-8")
    (tmp_path / "TW-0701.dng.xmp").write_text("<x:xmpmeta", encoding="utf-8")
    recipe = Recipe.neutral(True).with_values({"tone": {"exposure_ev": 1.25}}).to_document()
    (tmp_path / "TW-0700.dng.1.json").write_text(json.dumps({"original": {"name": "TW-0700.dng"}, "recipe": recipe}))
    (tmp_path / "TW-0701.json").write_text(json.dumps({"original": {"sha256": "0" * 64}, "recipe": recipe}))
    (tmp_path / "TW-0702.json").write_text(json.dumps({"recipe": 1, "tone": {"contrast": 9, "sparkle": 2}}))
    frames = brought(context, "Beside", *bring_in.files_in(tmp_path))
    assert sorted(frames) == ["TW-0700.dng", "TW-0701.dng", "TW-0702.dng"]
    told = frames["TW-0700.dng"]
    assert (told.stars, told.label, told.capture["title"]) == (4, "print", "Kiln opening")
    assert "celadon" in told.words and told.capture["camera_model"] == "Pennick Test 1"
    version = version_of(told)
    assert version.recipe["tone"]["exposure_ev"] == 1.25 and version.adjusted and version.position == 1
    assert versions.state(version)["history"][1]["words"] == "Recipe from beside the file"
    put(context, version.id, 1, {"tone": {"contrast": 4}})  # goes on from there
    notes = frames["TW-0701.dng"].capture["notes"]
    assert any("damaged" in n for n in notes) and any("another file" in n for n in notes)
    assert not version_of(frames["TW-0701.dng"]).adjusted
    assert any('no control "sparkle"' in n for n in frames["TW-0702.dng"].capture["notes"])


def test_a_readable_copy_of_the_library_brings_a_frame_back_as_it_was(context: Context, tmp_path: Path) -> None:
    path = tmp_path / "TW-0710.dng"
    path.write_bytes(small_dng(seed=8))
    frame = brought(context, "First", path)[path.name]
    put(context, frame.cover_id, 0, {"tone": {"exposure_ev": -0.6}, "colour": {"vibrance": 12}})
    copy = versions.readable_path(context.home, version_of(frame))
    (tmp_path / copy.name).write_bytes(copy.read_bytes())
    again = brought(context, "Second", path)[path.name]
    assert version_of(again).recipe == version_of(frame).recipe


def test_a_preset_on_bringing_in_gives_way_to_a_recipe_of_its_own(context: Context, tmp_path: Path) -> None:
    for i in range(2):
        (tmp_path / f"TW-072{i}.dng").write_bytes(small_dng(seed=10 + i))
    (tmp_path / "TW-0721.json").write_text(json.dumps({"recipe": 1, "tone": {"contrast": 9}}))
    frames = brought(context, "Preset", *bring_in.files_in(tmp_path), preset="Starts/Grey, plain")
    first, second = (version_of(frames[f"TW-072{i}.dng"]) for i in range(2))
    assert first.recipe["colour"]["black_and_white"] is True and first.revision == 1
    assert versions.state(first)["history"][1]["words"] == "Preset Grey, plain on bringing in"
    assert second.recipe["colour"]["black_and_white"] is False and second.recipe["tone"]["contrast"] == 9


def test_new_files_of_a_watched_folder_come_when_they_are_complete(context: Context, tmp_path: Path) -> None:
    folder = tmp_path / "tether"
    folder.mkdir()
    shoot = shoots.create("Tethered")
    watching.watch(context.home, Watched(shoot=shoot.id, folder=str(folder)))
    assert watching.of_shoot(context.home, shoot.id) == str(folder)
    watcher = Watcher()
    assert watcher.look(context) == 0
    data = small_dng(seed=20)
    growing = folder / "TW-0730.dng"
    growing.write_bytes(data[:40_000])
    assert watcher.look(context) == 0  # seen for the first time
    growing.write_bytes(data)
    os.utime(growing, ns=(1, 1))
    assert watcher.look(context) == 0  # it has grown since
    assert watcher.look(context) == 1
    run_jobs(context)
    assert [f["name"] for f in frame_lists.frames(shoot.id)] == ["TW-0730.dng"]
    # nothing twice: not by this watcher, nor by one after a new start
    assert watcher.look(context) == 0
    after = Watcher()
    assert (after.look(context), after.look(context)) == (0, 0)
    # a file that is none is told once
    (folder / "TW-0731.dng").write_bytes(b"no picture" * 30)
    assert [watcher.look(context) for _ in range(3)] == [0, 1, 0]
    run_jobs(context)
    assert shoots.refusals(shoot.id)[0]["name"] == "TW-0731.dng"
    again = Watcher()
    assert [again.look(context) for _ in range(3)] == [0, 0, 0]
    # written anew under the refused name it comes
    (folder / "TW-0731.dng").write_bytes(small_dng(seed=23))
    assert [again.look(context) for _ in range(3)] == [0, 1, 0]
    run_jobs(context)
    assert {f["name"] for f in frame_lists.frames(shoot.id)} == {"TW-0730.dng", "TW-0731.dng"}
    # the card is pulled, and put in again
    folder.rename(tmp_path / "away")
    assert watcher.look(context) == 0
    (tmp_path / "away").rename(folder)
    (folder / "TW-0732.dng").write_bytes(small_dng(seed=21))
    assert [watcher.look(context) for _ in range(2)] == [0, 1]
    run_jobs(context)
    assert len(frame_lists.frames(shoot.id)) == 3
    watching.leave(context.home, shoot.id)
    (folder / "TW-0733.dng").write_bytes(small_dng(seed=22))
    assert [watcher.look(context) for _ in range(3)] == [0, 0, 0]


def test_a_card_that_is_pulled_half_way_is_one_line_until_it_is_in_again(
    context: Context, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    card, shoot = tmp_path / "HARROW" / "DCIM", shoots.create("Pulled")
    card.mkdir(parents=True)
    for i in range(8):
        (card / f"TW-07{40 + i}.dng").write_bytes(small_dng(seed=60 + i))
    (card / "TW-0749.dng").write_bytes(b"no picture" * 30)
    hashed, plain = [], bring_in.hash_of

    def pulled(path: Path) -> str:
        hashed.append(path)
        if len(hashed) == 4:
            card.rename(tmp_path / "pocket")
        return plain(path)

    with monkeypatch.context() as at_the_fourth:
        at_the_fourth.setattr(bring_in, "hash_of", pulled)
        at_the_fourth.setattr(bring_in, "AT_ONCE", 1)
        bring_in.start(context, shoot, bring_in.files_in(card.parent), develop_small=False)
        run_jobs(context)
    assert len(frame_lists.frames(shoot.id)) == 3
    (told,) = shoots.refusals(shoot.id)
    assert told["name"] == "DCIM" and "6 of 9 files are missing, TW-0743.dng to TW-0749.dng" in told["reason"]
    # in again, only one file was lost on the way: the rest comes, the line goes
    (tmp_path / "pocket").rename(card)
    paths = bring_in.files_in(card.parent)
    (card / "TW-0747.dng").unlink()
    bring_in.start(context, shoot, paths, develop_small=False)
    run_jobs(context)
    assert len(frame_lists.frames(shoot.id)) == 7
    assert [r["name"] for r in shoots.refusals(shoot.id)] == ["TW-0749.dng", "TW-0747.dng"]
    # pulled before the first: what was told of single files is told together, and nothing of a picture that is here
    shutil.rmtree(card)
    bring_in.start(context, shoot, paths, develop_small=False)
    run_jobs(context)
    assert [r["name"] for r in shoots.refusals(shoot.id)] == ["DCIM"] and len(frame_lists.frames(shoot.id)) == 7


def test_a_file_that_cannot_even_be_looked_at_stops_nothing(context: Context, tmp_path: Path) -> None:
    """A name that the file system refuses is neither there nor missing."""
    shoot, good = shoots.create("Refused names"), tmp_path / "TW-0750.dng"
    good.write_bytes(small_dng(seed=70))
    bring_in.start(context, shoot, [tmp_path / f"{'x' * 300}.dng", good], develop_small=False)
    run_jobs(context)
    assert [f["name"] for f in frame_lists.frames(shoot.id)] == ["TW-0750.dng"]
    (told,) = shoots.refusals(shoot.id)
    assert told["name"].startswith("xxx") and "not there" not in told["reason"]


def test_folders_that_cannot_be_watched_are_refused_and_a_shoot_that_is_gone_is_left(context: Context, tmp_path: Path) -> None:
    shoot = shoots.create("Watch")
    for folder, words in (("pictures", "whole path"), (str(tmp_path / "nowhere"), "no such folder")):
        with pytest.raises(UserError, match=words):
            watching.watch(context.home, Watched(shoot=shoot.id, folder=folder))
    with pytest.raises(NotFound):
        watching.watch(context.home, Watched(shoot=10**6, folder=str(tmp_path)))
    watching.watch(context.home, Watched(shoot=shoot.id, folder=str(tmp_path)))
    Shoot.delete().where(Shoot.id == shoot.id).execute()
    assert Watcher().look(context) == 0 and watching.watched(context.home) == []
    context.home.watched.write_text("{broken")
    assert watching.watched(context.home) == []


def test_what_is_dropped_beside_a_picture_comes_along(context: Context) -> None:
    """Every dropped file is in a folder of its own."""
    batch = context.home.cache / "incoming" / "a-batch"
    recipe = Recipe.neutral(True).with_values({"tone": {"exposure_ev": 1.25}}).to_document()
    dropped = [
        ("TW-0700.XMP", XMP.encode()),
        ("TW-0700.dng", small_dng(seed=1)),
        ("TW-0701.dng.json", json.dumps({"recipe": recipe}).encode()),
        ("TW-0701.dng", small_dng(seed=2)),
        ("TW-0702.dng", small_dng(seed=3)),
        ("TW-0702.dng", small_dng(seed=4)),
        ("TW-0702.xmp", XMP.encode()),
        ("notes.json", b"[]"),
    ]
    for i, (name, content) in enumerate(dropped):
        (batch / str(i)).mkdir(parents=True)
        (batch / str(i) / name).write_bytes(content)
    made = shoots.create("Dropped")
    paths = bring_in.beside_dropped(batch)
    assert [p.name for p in paths] == ["TW-0700.dng", "TW-0701.dng", "TW-0702.dng", "TW-0702.dng"]
    bring_in.start(context, made, paths, move=True, develop_small=False)
    run_jobs(context)
    frames = {f.content_hash: f for f in Frame.select().where(Frame.shoot == made)}
    assert {(f.name, f.stars) for f in frames.values()} == {("TW-0700.dng", 4), ("TW-0701.dng", 0), ("TW-0702.dng", 0)}
    second = next(f for f in frames.values() if f.name == "TW-0701.dng")
    assert version_of(second).recipe["tone"]["exposure_ev"] == 1.25
    left = sorted(p.name for p in batch.rglob("*") if p.is_file())
    assert left == ["TW-0702.xmp", "notes.json"]  # nobody's; gone after a week
