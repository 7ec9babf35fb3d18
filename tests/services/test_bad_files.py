"""One odd file stops nothing but itself, and is told by a sentence; jobs that meet, or are killed in between, end well."""

import os
import signal
import struct
import threading
import time
from pathlib import Path

import pytest
from PIL import Image

from tests.conftest import small_dng
from tests.services.test_use_cases import run_jobs
from zincplate.formats import isolated
from zincplate.formats.decoder_wire import SEGMENT, SHARED
from zincplate.formats.isolated import Decoder, sweep
from zincplate.formats.preview import preview_of
from zincplate.services import bring_in, deliver, refusals, shoots, work
from zincplate.services.context import Context, UserError
from zincplate.store.models import Delivered, Frame, Job, Refusal, Shoot, Version

SMALL = deliver.Preset(name="Small", suffix="-s", long_edge=64)


@pytest.fixture
def shoot(context: Context) -> Shoot:
    """An empty one."""
    return shoots.create("Odd files")


def refused(shoot: Shoot) -> dict[str, str]:
    return {r["name"]: r["reason"] for r in shoots.refusals(shoot.id)}


def brought(context: Context, shoot: Shoot, paths: list[Path], **more: bool) -> list[str]:
    bring_in.start(context, shoot, paths, develop_small=False, **more)
    run_jobs(context)
    return sorted(f.name for f in Frame.select().where(Frame.shoot == shoot))


def test_pipes_folders_and_names_without_text_are_named(context: Context, shoot: Shoot, tmp_path: Path) -> None:
    good = tmp_path / "TW-0720.dng"
    good.write_bytes(small_dng())
    os.mkfifo(tmp_path / "pipe.dng")
    (tmp_path / "folder.dng").mkdir()
    strange = Path(os.fsdecode(os.fsencode(tmp_path) + b"/\xff\xfe.dng"))
    strange.write_bytes(good.read_bytes())
    found = brought(context, shoot, [tmp_path / "pipe.dng", strange, tmp_path / "folder.dng", tmp_path / "gone.dng", good])
    assert found == ["TW-0720.dng"]
    told = refused(shoot)
    assert "device or a pipe" in told["pipe.dng"] and "a folder" in told["folder.dng"] and "not there" in told["gone.dng"]
    assert "no text (UTF-8)" in told["\ufffd\ufffd.dng"]
    with pytest.raises(UserError, match="no text"):
        bring_in.start(context, shoot, [strange])


def test_whatever_goes_wrong_with_one_file_the_others_come_in(
    context: Context, shoot: Shoot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for k in range(3):
        (tmp_path / f"TW-073{k}.dng").write_bytes(small_dng(k + 1))
    real = context.decoder.facts

    def facts(path: Path) -> object:
        if path.name == "TW-0731.dng":
            raise struct.error("argument out of range")
        return real(path)

    monkeypatch.setattr(context.decoder, "facts", facts)
    paths = bring_in.files_in(tmp_path)
    assert brought(context, shoot, paths) == ["TW-0730.dng", "TW-0732.dng"]
    assert refused(shoot) == {"TW-0731.dng": refusals.UNEXPECTED}
    monkeypatch.undo()
    assert brought(context, shoot, paths) == ["TW-0730.dng", "TW-0731.dng", "TW-0732.dng"]
    assert refused(shoot) == {}, "what has come in since is not listed as refused any more"


def test_a_dropped_copy_stays_until_it_is_in(context: Context, shoot: Shoot) -> None:
    folders = [context.home.cache / "incoming" / "batch" / str(k) for k in range(2)]
    for folder in folders:
        folder.mkdir(parents=True)
    good, bad = folders[0] / "TW-0740.dng", folders[1] / "TW-0741.dng"
    good.write_bytes(small_dng())
    bad.write_bytes(small_dng(2)[:9000])
    brought(context, shoot, [good, bad], move=True)
    assert not good.exists() and bad.exists() and list(refused(shoot)) == ["TW-0741.dng"]


def test_a_preview_that_claims_more_than_it_may_is_none() -> None:
    claims = bytearray(_jpeg(64, 48))
    at = claims.find(b"\xff\xc0")
    claims[at + 5 : at + 9] = struct.pack(">HH", 20_000, 10_000)
    assert preview_of(bytes(claims), 1) is None
    assert preview_of(b"\xff\xd8\xff\xe0 no", 1) is None and preview_of(b"", 1) is None
    upright = preview_of(_jpeg(64, 48), 6)
    assert upright is not None and _size(upright.whole) == (48, 64) == _size(upright.small)
    large = preview_of(_jpeg(1500, 1000), 1)
    assert large is not None and _size(large.whole) == (1500, 1000) and _size(large.small) == (480, 320)


def _jpeg(width: int, height: int) -> bytes:
    import io

    out = io.BytesIO()
    Image.new("RGB", (width, height), (90, 80, 70)).save(out, "JPEG")
    return out.getvalue()


def _size(data: bytes) -> tuple[int, int]:
    import io

    with Image.open(io.BytesIO(data)) as image:
        return image.size


@pytest.mark.parametrize("name", ["TW\n07\r50.dng", "T" * 251 + ".dng", "\u00fc" * 125 + ".dng"])
def test_names_that_no_file_system_or_header_likes_are_delivered(
    context: Context, shoot: Shoot, tmp_path: Path, name: str
) -> None:
    path = tmp_path / name
    path.write_bytes(small_dng())
    brought(context, shoot, [path])
    version = Version.get()
    for _ in range(2):
        deliver.start(context, [version.id], [SMALL])
    run_jobs(context)
    names = [Path(d.path).name for d in Delivered.select()]
    assert len(set(names)) == 2 and all(len(n.encode()) <= 255 and n.isprintable() for n in names)


def test_numbers_beyond_all_measure_are_delivered_as_the_nearest(context: Context, shoot: Shoot, tmp_path: Path) -> None:
    path = tmp_path / "TW-0760.dng"
    path.write_bytes(small_dng())
    brought(context, shoot, [path])
    frame = Frame.get()
    frame.capture = frame.capture | {"iso": 2**40, "exposure_time_s": 1e30, "f_number": 1e12, "focal_length_mm": 1e-30}
    frame.save()
    context.renderer._sources.drop(lambda key: True)
    from zincplate.formats.capture import CaptureData
    from zincplate.formats.exif_writer import add_capture_entries
    from zincplate.formats.tiff_writer import IFD, rational

    add_capture_entries(IFD(), CaptureData.of(frame.capture), "Zincplate")
    assert rational(1e30) == (2**32 - 1, 1) and rational(float("nan")) == (0, 1) and rational(1e30, 100)[0] == 2**32 - 1
    assert rational(-0.5, 10_000) == (-5000, 10_000)


def test_two_deliveries_that_choose_one_name_both_end(context: Context, shoot: Shoot, tmp_path: Path) -> None:
    paths = []
    for k in range(2):
        paths.append(tmp_path / str(k) / "TW-0770.dng")
        paths[-1].parent.mkdir()
        paths[-1].write_bytes(small_dng(k + 1))
    brought(context, shoot, paths)
    folder = context.home.deliveries / "x"
    folder.mkdir(parents=True)
    found: list[Path] = []
    callers = [
        threading.Thread(target=lambda k=k: found.append(deliver._written(context, folder, "a.jpg", b"%d" % k, str(k))))
        for k in range(6)
    ]
    for caller in callers:
        caller.start()
    for caller in callers:
        caller.join()
    assert {p.name for p in found} == {"a.jpg", *(f"a-{n}.jpg" for n in range(2, 7))}
    assert sorted(p.read_bytes() for p in found) == [b"%d" % k for k in range(6)]


def test_a_file_without_a_row_is_taken_over_by_the_next_attempt(context: Context, shoot: Shoot, tmp_path: Path) -> None:
    path = tmp_path / "TW-0780.dng"
    path.write_bytes(small_dng())
    brought(context, shoot, [path])
    version = Version.get()
    deliver.start(context, [version.id], [SMALL])
    run_jobs(context)
    row = Delivered.get()
    Delivered.delete().execute()  # killed between the file and its row
    deliver.start(context, [version.id], [SMALL])
    run_jobs(context)
    assert Delivered.get().path == row.path
    deliver.start(context, [version.id], [SMALL])
    run_jobs(context)
    assert sorted(Path(d.path).name for d in Delivered.select()) == ["TW-0780-s-2.jpg", "TW-0780-s.jpg"]


def test_a_job_that_gets_on_is_not_given_up(context: Context) -> None:
    job = work.submit(context, "for_tests", "long")
    for attempt in range(8):
        assert work.claim(job.id, f"dead:{attempt}") is not None
        work.report(job.id, f"dead:{attempt}", (attempt + 1) / 10, "")
        Job.update(lease_until=0).where(Job.id == job.id).execute()
        work.reap(context)
        assert work.get(job.id).state == "queued"
    for attempt in range(3):
        assert work.claim(job.id, f"stuck:{attempt}") is not None
        work.report(job.id, f"stuck:{attempt}", 0.8, "")
        Job.update(lease_until=0).where(Job.id == job.id).execute()
        work.reap(context)
    assert work.get(job.id).state == "failed" and "died each time" in work.get(job.id).note


def test_a_decoder_that_was_killed_is_tried_once_more(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "TW-0790.dng"
    path.write_bytes(small_dng())
    decoder = Decoder()
    decoder.facts(path)
    real, kills = isolated.receive, []

    def receive(stream: object) -> object:
        if not kills:
            kills.append(decoder.process_ids[0])
            os.kill(kills[0], signal.SIGKILL)
            return None
        return real(stream)

    monkeypatch.setattr(isolated, "receive", receive)
    assert decoder.decode(path).kind == "mosaic"
    assert kills and decoder.process_ids[0] != kills[0]
    decoder.close()


def test_what_dead_processes_left_in_memory_goes() -> None:
    dead, alive = SHARED / f"{SEGMENT}999999999-1-x", SHARED / f"{SEGMENT}{os.getpid()}-1-x"
    for place in (dead, alive):
        place.write_bytes(b"1")
    assert sweep() >= 1 and not dead.exists() and alive.exists()
    alive.unlink()


def test_refusals_are_told_in_words_of_our_own(tmp_path: Path, decoder: Decoder) -> None:
    from zincplate.formats.errors import FileError

    data = small_dng()
    told = []
    for at in range(8, 3000, 61):
        path = tmp_path / "TW-0791.dng"
        path.write_bytes(data[:at] + bytes([data[at] ^ 0xFF, 0xFF, 0x7F]) + data[at + 3 :])
        try:
            decoder.decode(path)
        except FileError as error:
            told.append(error.reason)
    assert told and not [r for r in told if "Error" in r or "b'" in r or "Traceback" in r], set(told)


def test_refusals_know_their_shoot(context: Context, shoot: Shoot, tmp_path: Path) -> None:
    (tmp_path / "words.dng").write_text("words")
    brought(context, shoot, [tmp_path / "words.dng"])
    other = shoots.create("Another")
    assert Refusal.select().where(Refusal.shoot == other).count() == 0 and "words.dng" in refused(shoot)


def test_dropped_files_of_last_week_are_cleared(context: Context, shoot: Shoot) -> None:
    folder = context.home.cache / "incoming"
    for name, days in (("old", 8), ("young", 6)):
        (folder / name / "1").mkdir(parents=True)
        (folder / name / "1" / "a.dng").write_bytes(b"1")
        then = time.time() - days * 86_400
        os.utime(folder / name, (then, then))
    assert bring_in.clear_incoming(context.home) == 1
    assert [p.name for p in folder.iterdir()] == ["young"]


def test_a_plan_says_what_will_be_written_and_refuses_what_cannot_be(context: Context, shoot: Shoot, tmp_path: Path) -> None:
    path = tmp_path / "TW-0795.dng"
    path.write_bytes(small_dng())
    brought(context, shoot, [path])
    version = Version.get()
    full, huge = deliver.Preset(name="Full"), deliver.Preset(name="Huge", long_edge=9000)
    rows = deliver.plan(context, [version.id], [SMALL, full, huge])
    assert [(r["width"], r["height"]) for r in rows] == [(64, 43), (720, 480), (720, 480)], "never enlarged"
    assert [r["file"] for r in rows] == ["TW-0795-s.jpg", "TW-0795.jpg", "TW-0795.jpg"]
    for wrong in (deliver.Preset(name="x", bits=12), deliver.Preset(name="x", long_edge=-5)):
        with pytest.raises(UserError):
            deliver.plan(context, [version.id], [wrong])
    with pytest.raises(UserError, match="at least one"):
        deliver.start(context, [], [SMALL])


def test_a_refused_file_is_told_although_another_of_its_name_comes_in(
    context: Context, shoot: Shoot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    paths = [tmp_path / folder / "TW-0796.dng" for folder in ("a", "b")]
    for path, data in zip(paths, (b"words words words words", small_dng()), strict=True):
        path.parent.mkdir()
        path.write_bytes(data)
    assert brought(context, shoot, paths) == ["TW-0796.dng"]
    assert "starts like no raw" in refused(shoot)["TW-0796.dng"]
    other = shoots.create("No room")

    def full(*_arguments: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(bring_in, "write_file", full)
    assert brought(context, other, [paths[1]]) == []
    assert "No space left" in refused(other)["TW-0796.dng"]
