"""A shoot as it comes from a hard day: five hundred files of which twenty are bad, names of every kind, one name in two folders,
no capture times, clocks of two time zones. Each is in or told by name, and what is done to all is done to all."""

import io
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from tests.services.test_use_cases import run_jobs
from zincplate.services import bring_in, carry, frame_lists, shoots
from zincplate.services.carry import Carry, Target
from zincplate.services.context import Context
from zincplate.store.models import Frame, HistoryEntry, Version

GOOD, BAD = 480, 20


def jpeg(number: int, taken: str = "", zone: str = "") -> bytes:
    """48 x 32, each of its own colour; ``taken`` as EXIF writes it (CIPA DC-008)."""
    picture = Image.fromarray(np.full((32, 48, 3), (number % 251, number // 251 * 40, 90), np.uint8))
    exif = Image.Exif()
    if taken:
        exif.get_ifd(0x8769)[0x9003] = taken
    if zone:
        exif.get_ifd(0x8769)[0x9011] = zone
    out = io.BytesIO()
    picture.save(out, "JPEG", quality=95, exif=exif)
    return out.getvalue()


def name_of(number: int) -> str:
    if number % 40 == 0:
        return f"{'kiln ' * 38}{number:03d}.jpg"  # 198 characters
    if number % 40 == 1:
        return f"Ofentür №{number} — 窯.jpg"
    if number % 40 == 2:
        return f" two  spaces {number} .jpg"
    return f"TW-{number:04d}.jpg"


@pytest.fixture
def card(tmp_path: Path) -> Path:
    root = tmp_path / "a card"
    for number in range(GOOD):
        folder = root / ("morning" if number < GOOD // 2 else "evening, after tea")
        folder.mkdir(parents=True, exist_ok=True)
        minutes, seconds = divmod(number % 240, 60)
        # the evening's camera keeps another zone's time; a tenth have no time
        taken = "" if number % 10 == 9 else f"2026:05:12 {8 + number // 240}:{minutes:02d}:{seconds:02d}"
        name = f"IMG_{number % 240:04d}.jpg" if number % 5 == 0 and number % 40 > 2 else name_of(number)
        (folder / name).write_bytes(jpeg(number, taken, "+02:00" if number < 240 else "-05:00"))
    for number in range(BAD):
        whole = jpeg(900 + number)
        content = (b"", b"no picture at all" * 9, whole[: len(whole) // 2], whole[:200])[number % 4]
        (root / "morning" / f"bad {number:02d}.jpg").write_bytes(content)
    return root


def test_five_hundred_files_of_a_hard_day(context: Context, card: Path) -> None:
    shoot = shoots.create("A hard day")
    bring_in.start(context, shoot, bring_in.files_in(card), develop_small=False, folders_from=str(card))
    run_jobs(context)
    rows = frame_lists.frames(shoot.id)
    refused = {r["name"]: r["reason"] for r in shoots.refusals(shoot.id)}
    assert sorted(refused) == [f"bad {n:02d}.jpg" for n in range(BAD)] and all(len(r) > 10 for r in refused.values())
    assert len(rows) == GOOD
    # camera time orders them whatever zone is told; what has no time comes last, by name
    stamps = [row["captured_at"] for row in rows]
    timed = [s for s in stamps if s]
    assert timed == sorted(timed) and stamps[len(timed) :] == [""] * (GOOD // 10)
    names = {row["name"] for row in rows}
    assert {name_of(0), name_of(41), name_of(82)} <= names
    twins = [row for row in rows if row["name"] == "IMG_0005.jpg"]
    assert {row["folder"] for row in twins} == {"morning", "evening, after tea"}
    assert len({Frame.get_by_id(row["id"]).path for row in rows}) == GOOD

    # one correction over all of them, interrupted, done, and taken back
    everyone = [Target(version=row["version"], values={"tone": {"exposure_ev": 0.5}}) for row in rows]
    asked = Carry(targets=everyone, words="Half a stop", request_key="once")
    done = carry.carry(context, asked)
    assert len(done["changed"]) == GOOD and carry.carry(context, asked)["bulk"] == done["bulk"]
    assert HistoryEntry.select().where(HistoryEntry.bulk == done["bulk"]).count() == GOOD
    carry.undo(done["bulk"])
    assert not Version.select().where(Version.adjusted).exists()


def test_a_carry_that_is_cut_off_changes_nothing_and_can_be_sent_again(
    context: Context, card: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    shoot = shoots.create("Cut off")
    bring_in.start(context, shoot, bring_in.files_in(card)[:40], develop_small=False)
    run_jobs(context)
    targets = [Target(version=row["version"], values={"tone": {"contrast": 20}}) for row in frame_lists.frames(shoot.id)]
    asked = Carry(targets=targets, words="Contrast", request_key="again")
    with monkeypatch.context() as killed:

        def gone(*_: object) -> None:
            raise SystemExit  # the process ends after the rows were written, before they are committed

        killed.setattr(carry, "_named", gone)
        with pytest.raises(SystemExit):
            carry.carry(context, asked)
    assert not Version.select().where(Version.revision > 0).exists()
    assert len(carry.carry(context, asked)["changed"]) == len(targets)
    assert Version.select().where(Version.revision == 1).count() == len(targets)
