"""A job's life, step by step: who may run it, what its end says, and what becomes of it when its worker dies."""

import threading
import time
from datetime import timedelta
from typing import Any

import peewee
import pytest
from playhouse.pool import MaxConnectionsExceeded
from pydantic import ConfigDict

from zincplate.formats.errors import FileError
from zincplate.jobs import queue, runner
from zincplate.render.strips import Cancelled
from zincplate.services import work
from zincplate.services.context import Context, NotFound, UserError
from zincplate.services.job_kinds import Arguments, JobKind
from zincplate.store.database import NO_ROOM, database
from zincplate.store.models import Job, now

KIND = "for_tests"


class Anything(Arguments):
    """Arguments that no kind has declared."""

    model_config = ConfigDict(extra="allow", frozen=True)


@pytest.fixture
def body(monkeypatch: pytest.MonkeyPatch) -> dict[str, Any]:
    """What the job does, to be set by the test under ``do``; its calls are kept under ``calls``."""
    held: dict[str, Any] = {"do": lambda running: None, "calls": []}

    def run(context: Context, running: Any, arguments: Anything) -> Any:
        held["calls"].append(dict(arguments.model_extra or {}))
        return held["do"](running)

    monkeypatch.setitem(runner.KINDS, KIND, JobKind(KIND, Anything, run))
    return held


@pytest.fixture
def woken(context: Context, monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """Ids that were put into the queue."""
    ids: list[str] = []
    monkeypatch.setattr(context, "wake", ids.append)
    return ids


def expired(job: Job) -> None:
    """Its worker has not been heard of for long."""
    Job.update(lease_until=time.time() - 1).where(Job.id == job.id).execute()


def long_ago(*jobs: Job) -> None:
    """They were submitted some time ago."""
    for job in jobs:
        Job.update(changed_at=now() - timedelta(seconds=6)).where(Job.id == job.id).execute()


def test_a_job_is_written_before_it_is_woken_and_runs_with_its_arguments(
    context: Context, body: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    seen: list[str] = []
    monkeypatch.setattr(context, "wake", lambda job_id: seen.append(work.get(job_id).state))
    job = work.submit(context, KIND, "T" * 300, frames=[3, 1])
    assert seen == ["queued"] and len(job.title) == 200
    body["do"] = lambda running: {"made": 2}
    runner.run(context, job.id)
    done = work.get(job.id)
    assert (done.state, done.progress, done.result, done.attempt) == ("done", 1.0, {"made": 2}, 1)
    assert body["calls"] == [{"frames": [3, 1]}]


def test_a_job_runs_once_however_often_it_is_woken(context: Context, body: dict[str, Any], woken: list[str]) -> None:
    job = work.submit(context, KIND, "once")
    for _ in range(3):
        runner.run(context, job.id)
    runner.run(context, "no-such-job")
    assert len(body["calls"]) == 1


@pytest.mark.parametrize("error", [FileError("TW-0094.dng", "the file ends early."), UserError("Choose a folder.")])
def test_what_a_person_can_mend_is_said_and_not_tried_again(
    context: Context, body: dict[str, Any], woken: list[str], error: Exception
) -> None:
    def fail(running: runner.Running) -> None:
        raise error

    body["do"] = fail
    job = work.submit(context, KIND, "refused")
    runner.run(context, job.id)
    failed = work.get(job.id)
    assert (failed.state, failed.note) == ("failed", str(error))
    runner.run(context, job.id)
    assert len(body["calls"]) == 1


def test_a_surprise_is_tried_again_and_then_failed_with_its_name(
    context: Context, body: dict[str, Any], woken: list[str], caplog: pytest.LogCaptureFixture
) -> None:
    def stumble(running: runner.Running) -> None:
        raise ZeroDivisionError("by zero")

    body["do"] = stumble
    job = work.submit(context, KIND, "stumbles")
    attempts = work.get(job.id).max_attempts
    for attempt in range(attempts):
        assert work.get(job.id).state == "queued" and work.get(job.id).attempt == attempt
        runner.run(context, job.id)
    failed = work.get(job.id)
    assert (failed.state, failed.note) == ("failed", "ZeroDivisionError: by zero")
    assert len(body["calls"]) == attempts and f"job {job.id} failed" in caplog.text


def test_progress_is_written_and_a_cancelled_body_ends(context: Context, body: dict[str, Any], woken: list[str]) -> None:
    job = work.submit(context, KIND, "long")
    heard: list[tuple[float, str]] = []

    def step(running: runner.Running) -> None:
        assert running.id == job.id
        running.progress(0.25, "TW-0001.dng")
        now = work.get(job.id)
        heard.append((now.progress, now.note))
        work.cancel(job.id)
        with pytest.raises(Cancelled):
            running.progress(0.5, "TW-0002.dng")
        raise Cancelled

    body["do"] = step
    runner.run(context, job.id)
    ended = work.get(job.id)
    assert heard == [(0.25, "TW-0001.dng")] and ended.state == "cancelled" and ended.result is None
    assert work.cancel(job.id)["state"] == "cancelled"


def test_a_job_cancelled_while_it_waits_never_starts(context: Context, body: dict[str, Any], woken: list[str]) -> None:
    job = work.submit(context, KIND, "not wanted")
    assert work.cancel(job.id)["state"] == "cancelled"
    runner.run(context, job.id)
    assert body["calls"] == []
    with pytest.raises(NotFound):
        work.cancel("no-such-job")


def test_the_heartbeat_keeps_a_long_job_from_being_taken(
    context: Context, body: dict[str, Any], woken: list[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(work, "LEASE_S", 0.3)
    job = work.submit(context, KIND, "slow")
    leases: list[float] = []

    def slow(running: runner.Running) -> None:
        end = time.monotonic() + 20
        while len(set(leases)) < 4 and time.monotonic() < end:
            leases.append(work.get(job.id).lease_until)
            time.sleep(0.02)

    body["do"] = slow
    before = threading.active_count()
    runner.run(context, job.id)
    assert len(set(leases)) >= 4 and leases == sorted(leases)
    assert work.get(job.id).state == "done"
    assert threading.active_count() == before  # the heartbeat ended with it


def test_the_heart_beats_well_before_a_lease_ends() -> None:
    waits = list[float]()

    class Stop:
        """Stopped at once; keeps how long it would have been waited for."""

        def wait(self, seconds: float) -> bool:
            waits.append(seconds)
            return True

    running = object.__new__(runner.Running)
    running._stop = Stop()  # type: ignore[assignment]
    running._beat()
    # one beat may be late or lost, and the job is still its worker's
    assert len(waits) == 1 and 0 < waits[0] <= work.LEASE_S / 2


def test_a_job_whose_worker_is_heard_of_at_the_last_moment_stays_with_it(
    context: Context, woken: list[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    first, second = (work.submit(context, KIND, name) for name in ("dead", "late"))
    for job, owner in ((first, "dead:1"), (second, "late:1")):
        assert work.claim(job.id, owner) is not None
        expired(job)
    heard = list[bool]()

    def wake(job_id: str) -> None:
        # both were found expired; while the first is taken back the other one's worker is heard of
        heard.append(work.renew(second.id, "late:1"))

    monkeypatch.setattr(context, "wake", wake)
    assert work.reap(context) == 1 and heard == [True]
    assert (work.get(first.id).state, work.get(second.id).state, work.get(second.id).owner) == ("queued", "running", "late:1")


def test_the_queue_carries_more_than_a_short_blob_holds(context: Context) -> None:
    queue.create_tables(context.home)
    storage = queue.make_queue(context.home).storage
    storage.name = "payloads"  # not the queue that a worker of other tests takes from
    payload = bytes(range(256)) * 400  # 100 kB: MariaDB's BLOB ends at 65,535 bytes
    storage.enqueue(payload)
    assert storage.dequeue() == payload


def test_a_worker_that_lost_its_job_cannot_end_it(context: Context, woken: list[str]) -> None:
    job = work.submit(context, KIND, "taken over")
    assert work.claim(job.id, "slow:1") is not None
    expired(job)
    assert work.reap(context) == 1 and woken == [job.id, job.id]
    assert work.claim(job.id, "quick:2") is not None
    assert not work.renew(job.id, "slow:1") and not work.report(job.id, "slow:1", 0.9, "late")
    work.finish(job.id, "slow:1", "failed", "late")
    work.put_back(job.id, "slow:1", "late")
    now = work.get(job.id)
    assert (now.state, now.owner, now.note, now.attempt) == ("running", "quick:2", "", 2)


def test_a_job_whose_workers_die_is_given_up_with_a_sentence(context: Context, woken: list[str]) -> None:
    job = work.submit(context, KIND, "deadly")
    for attempt in range(work.get(job.id).max_attempts):
        assert work.claim(job.id, f"dead:{attempt}") is not None
        expired(job)
        assert work.reap(context) == 1
    failed = work.get(job.id)
    assert failed.state == "failed" and "its worker died each time" in failed.note
    assert work.reap(context) == 0


def test_a_cancelled_job_whose_worker_died_is_not_started_again(context: Context, woken: list[str]) -> None:
    job = work.submit(context, KIND, "unwanted")
    work.claim(job.id, "dead:1")
    work.cancel(job.id)
    assert work.get(job.id).state == "running"  # its worker is to notice
    expired(job)
    assert work.reap(context) == 1 and work.get(job.id).state == "cancelled" and woken == [job.id]


def test_a_lost_wake_up_is_made_up_for(context: Context, woken: list[str]) -> None:
    job = work.submit(context, KIND, "forgotten")
    later = work.submit(context, KIND, "later")
    woken.clear()
    assert work.reap(context) == 0
    long_ago(job, later)
    assert work.reap(context) == 1 and woken == [job.id]
    assert work.get(job.id).attempt == 0  # waiting is no attempt
    # while a worker works nothing is lost: it looks for the next by itself
    work.claim(job.id, "busy:1")
    assert work.reap(context) == 0 and woken == [job.id]
    assert work.oldest_waiting() == later.id
    # what another process of ours does is no worker's work
    work.finish(job.id, "busy:1", "done")
    work.outside("camera", "Camera: 8 frames", files=8)
    assert work.reap(context) == 1 and woken == [job.id, later.id]


def test_one_that_stumbled_waits_a_moment_before_it_is_taken_again(context: Context, woken: list[str]) -> None:
    job = work.submit(context, KIND, "stumbles")
    assert work.oldest_waiting() == job.id
    work.claim(job.id, "one:1")
    assert work.oldest_waiting() is None
    work.put_back(job.id, "one:1", "ValueError: no")
    assert work.get(job.id).state == "queued" and work.oldest_waiting() is None
    expired(job)
    assert work.oldest_waiting() == job.id
    work.cancel(job.id)
    assert work.oldest_waiting() is None


def test_workers_that_cannot_be_woken_cost_nothing(context: Context, monkeypatch: pytest.MonkeyPatch) -> None:
    def away(job_id: str) -> None:
        raise MaxConnectionsExceeded("exceeded")

    monkeypatch.setattr(context, "wake", away)
    job = work.submit(context, KIND, "stands")
    long_ago(job)
    assert work.get(job.id).state == "queued" and work.reap(context) == 1


def test_one_request_starts_one_job_however_often_it_is_sent(context: Context, woken: list[str]) -> None:
    found: list[str] = []

    def send() -> None:
        with database.connection_context():
            found.append(work.submit(context, KIND, "deliver", "key-1", files=2).id)

    callers = [threading.Thread(target=send) for _ in range(6)]
    for caller in callers:
        caller.start()
    for caller in callers:
        caller.join()
    assert len(found) == 6 and len(set(found)) == 1 and woken == found[:1]
    assert Job.select().count() == 1 and work.of_request("key-1") is not None
    assert work.submit(context, KIND, "deliver", "key-2").id != found[0]
    assert work.submit(context, KIND, "no key").id != work.submit(context, KIND, "no key").id
    assert work.of_request("") is None


def test_finished_jobs_are_forgotten_after_a_month_or_when_there_are_many(
    context: Context, woken: list[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    old, young, waiting = (work.submit(context, KIND, name) for name in ("old", "young", "waiting"))
    for job in (old, young):
        work.claim(job.id, "one:1")
        work.finish(job.id, "one:1", "done")
    for job, days in ((old, 31), (young, 29), (waiting, 400)):
        Job.update(changed_at=now() - timedelta(days=days)).where(Job.id == job.id).execute()
    work.prune()
    assert {j["title"] for j in work.recent()} == {"young", "waiting"}
    monkeypatch.setattr(work, "KEPT", 3)
    for k in range(5):
        job = work.submit(context, KIND, f"job {k}")
        work.claim(job.id, "one:1")
        work.finish(job.id, "one:1", "done")
        time.sleep(0.01)
    work.prune()
    assert {j["title"] for j in work.recent()} == {"job 2", "job 3", "job 4", "waiting"}


def test_a_database_that_goes_away_leaves_the_job_to_the_next_worker(
    context: Context, body: dict[str, Any], woken: list[str]
) -> None:
    def away(running: runner.Running) -> None:
        raise peewee.OperationalError(2013, "Lost connection to server during query")

    body["do"] = away
    job = work.submit(context, KIND, "interrupted")
    with pytest.raises(peewee.OperationalError):
        runner.run(context, job.id)
    assert work.get(job.id).state == "running"
    expired(job)
    assert work.reap(context) == 1
    body["do"] = lambda running: None
    runner.run(context, job.id)
    assert work.get(job.id).state == "done"


@pytest.mark.parametrize("args", [(1114, "The table 'history_entry' is full"), (1030, "Got error 28 from engine")])
def test_a_full_disk_under_the_database_is_said_and_not_tried_again(
    context: Context, body: dict[str, Any], woken: list[str], args: tuple[int, str]
) -> None:
    def full(running: runner.Running) -> None:
        raise peewee.OperationalError(*args)

    body["do"] = full
    job = work.submit(context, KIND, "no room")
    runner.run(context, job.id)
    assert work.get(job.id).state == "failed" and work.get(job.id).note == NO_ROOM


def test_the_newest_jobs_come_first_and_old_ones_drop_out(context: Context, woken: list[str]) -> None:
    ids = []
    for k in range(4):
        ids.append(work.submit(context, KIND, f"job {k}").id)
        time.sleep(0.01)
    assert [j["id"] for j in work.recent(1)] == ids[::-1], "what waits or runs is always listed"
    for k in (0, 1, 3):
        work.claim(ids[k], "one:1")
        work.finish(ids[k], "one:1", "done")
    listed = work.recent(2)
    assert [j["id"] for j in listed] == [ids[3], ids[2], ids[1]]
    told = {
        "id",
        "kind",
        "title",
        "state",
        "progress",
        "note",
        "result",
        "shoot",
        "files",
        "files_done",
        "created_at",
        "changed_at",
    }
    assert set(listed[0]) == told
