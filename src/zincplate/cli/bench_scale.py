"""``./zincplate bench --scale``: a generated catalogue in a database of its own, and how long a shoot of ten thousand frames
takes."""

import json
import shutil
import statistics
import tempfile
import time
from collections.abc import Callable
from datetime import datetime, timedelta
from functools import partial
from pathlib import Path
from random import Random
from typing import Any

from zincplate.recipe.document import Recipe
from zincplate.services import bulk, carry, changes, find, frame_lists, overview, shoots, versions
from zincplate.services.context import Context
from zincplate.store import database as store
from zincplate.store.home import Home
from zincplate.store.mariadb import Maria
from zincplate.store.models import Frame, HistoryEntry, Shoot, Version, now

IN_A_SHOOT = 10_000
SUBJECTS = ("tile", "bowl", "door", "yard", "kiln", "chimney")


def bench_scale(frames: int, as_json: bool) -> None:
    """Prints medians of five in seconds; ``frames`` is rounded up to whole shoots."""
    root = Path(tempfile.mkdtemp(prefix="zs"))
    root.chmod(0o711)
    maria = Maria(root)
    try:
        home = Home(root).make()
        maria.start()
        store.connect(home, pool=4)
        store.migrate()
        with store.database.connection_context():
            figures = _measured(Context(home), max(-(-frames // IN_A_SHOOT), 1))
    finally:
        if not store.database.is_closed():
            store.database.close()
        maria.stop()
        shutil.rmtree(root, ignore_errors=True)
    if as_json:
        print(json.dumps(figures, indent=1))
        return
    for name, value in figures.items():
        print(f"{name:58} {value:8.3f}")


def _measured(context: Context, shoot_count: int) -> dict[str, float]:
    figures: dict[str, float] = {}

    def take(name: str, work: Callable[[], Any], times: int = 5) -> None:
        taken = []
        for _ in range(times):
            begin = time.perf_counter()
            work()
            taken.append(time.perf_counter() - begin)
        figures[name] = round(statistics.median(taken), 4)

    begin = time.perf_counter()
    for number in range(shoot_count):
        _shoot(number)
    total = shoot_count * IN_A_SHOOT
    figures[f"making {total:,} frames"] = round(time.perf_counter() - begin, 1)
    lists = frame_lists.KeptLists()
    take("list of a shoot of 10,000, first read", lambda: frame_lists.KeptLists().columns(1))
    take("list of a shoot of 10,000, asked again", lambda: lists.columns(1))

    def marked_and_listed() -> str:
        shoots.mark_frames([77], stars=1)
        return lists.columns(1)

    take("list of a shoot of 10,000, after a mark", marked_and_listed)
    take("what changed in it since", lambda: frame_lists.columns(1, now()))
    take("page of all shoots, first read", lambda: overview.Overviews().all())
    kept = overview.Overviews()
    take("page of all shoots, asked again", kept.all)
    catalogue = find.Catalogue()
    take("first search after the start", catalogue.rows, times=1)
    for words, search in (
        ("a name", find.Search(text=f"{total // 2:06d}")),
        ("two words", find.Search(text="kiln rove")),
        ("words, days, lens and stars", find.Search(text="bowl", lens="Zoom", stars=4, first_day=datetime(2026, 1, 2).date())),
    ):
        take(f"search of {total:,} by {words}", partial(find.find, catalogue, search))
    changes.make(context, 1, changes.Change(revision=0, do="set", values={"tone": {"exposure_ev": 0.7, "contrast": 12}}))
    done: list[int] = []

    def carried() -> None:
        own = {"tone": {"exposure_ev": (len(done) + 1) / 50}}
        targets = [carry.Target(version=i, values=own) for i in range(2, 1002)]
        asked = carry.Carry(source=1, operations=["exposure", "contrast"], targets=targets)
        done.append(carry.carry(context, asked)["bulk"])

    take("carry to 1,000 frames, saved", carried)
    begin = time.perf_counter()
    bulk.move(done[-1], undo=True)
    figures["taken back for 1,000 frames"] = round(time.perf_counter() - begin, 4)
    for n in range(50):
        changes.make(context, 5000, changes.Change(revision=n, do="set", values={"tone": {"exposure_ev": (n + 1) / 20}}))
    rows = HistoryEntry.select(HistoryEntry.recipe, HistoryEntry.difference).where(HistoryEntry.version == 5000).tuples()
    figures["bytes of history for one edit"] = round(sum(len(json.dumps(a or b)) for a, b in rows) / 51)
    take("state of a version with 50 edits", lambda: versions.state(Version.get_by_id(5000)))
    return figures


def _shoot(number: int) -> None:
    """Ten thousand frames that look like a job."""
    random = Random(number)
    recipe = Recipe.neutral(True).to_document()
    hashed = versions.recipe_hash(recipe)
    facts = {"file_type": "DNG", "width": 3000, "height": 2000, "notes": [], "caption": "words about the picture " * 40}
    shoot = Shoot.create(name=f"Harrow Lane {number + 1}", folder=f"harrow-lane-{number + 1}")
    first = number * IN_A_SHOOT + 1
    frames, made, entries = [], [], []
    for i in range(first, first + IN_A_SHOOT):
        camera, lens = random.choice(("Pennick Field 6", "Pennick Rove 4")), random.choice(("Zoom", "Close-up"))
        words = f"TW-{i:06d}.dng\n{random.choice(SUBJECTS)} in the yard\n{camera}\n{lens}\nHarrow Lane Tileworks"
        frames.append(
            {
                "id": i, "shoot": shoot.id, "name": f"TW-{i:06d}.dng", "file_name": f"TW-{i:06d}.dng",
                "content_hash": f"{i:064x}", "size_bytes": 12_000_000,
                "path": f"{shoot.folder}/TW-{i:06d}.dng", "capture": facts, "raw": True, "words": words, "camera": camera,
                "captured_at": datetime(2026, 1, 1) + timedelta(seconds=7 * i), "mark": random.choice(("", "", "keep", "drop")),
                "stars": random.randint(0, 5), "label": random.choice(("", "proof", "web")), "thumb_state": "own", "lens": lens,
                "file_type": "DNG", "width": 3000, "height": 2000, "exposure_time_s": 0.01, "f_number": 4.0, "iso": 200,
                "focal_length_mm": 52.0, "cover_id": i,
            }
        )  # fmt: skip
        adjusted = random.random() < 0.3
        made.append({"id": i, "frame": i, "number": 1, "recipe": recipe, "recipe_hash": hashed, "adjusted": adjusted})
        entries.append({"version": i, "position": 0, "words": "Brought in", "recipe": recipe})
    for at in range(0, IN_A_SHOOT, 500):
        Frame.insert_many(frames[at : at + 500]).execute()
        Version.insert_many(made[at : at + 500]).execute()
        HistoryEntry.insert_many(entries[at : at + 500]).execute()
