"""What is on its way to a shoot: how many of how many, also while another process of ours takes the frames."""

from pathlib import Path

from tests.conftest import small_dng
from tests.services.test_use_cases import run_jobs
from zincplate.services import bring_in, shoots, work
from zincplate.services.context import Context
from zincplate.store.models import Job


def test_a_bring_in_says_how_many_files_of_which_shoot(context: Context, tmp_path: Path) -> None:
    for n in range(3):
        (tmp_path / f"TW-07{n:02d}.dng").write_bytes(small_dng(seed=n))
    shoot = shoots.create("Coming")
    job = bring_in.start(context, shoot, bring_in.files_in(tmp_path), develop_small=False)
    assert {k: work.as_dict(job)[k] for k in ("shoot", "files", "files_done")} == {"shoot": shoot.id, "files": 3, "files_done": 0}
    Job.update(progress=2 / 3).where(Job.id == job.id).execute()
    assert work.as_dict(work.get(job.id))["files_done"] == 2
    run_jobs(context)
    assert work.as_dict(work.get(job.id))["files_done"] == 3


def test_work_outside_the_queue_is_a_row_that_ends_with_its_process(context: Context) -> None:
    shoot = shoots.create("Camera")
    job, owner = work.outside("camera", "Camera: 8 frames", shoot_id=shoot.id, files=8)
    assert work.claim(job.id, "worker") is None  # no worker takes it
    assert work.reap(context) == 0
    assert work.report(job.id, owner, 0.5, "TW-0004.dng, 4 of 8") and work.renew(job.id, owner, 60)
    found = work.as_dict(work.get(job.id))
    assert (found["state"], found["files_done"], found["shoot"]) == ("running", 4, shoot.id)
    # its process is gone: the row says so instead of running for ever, and it is not started by a worker
    Job.update(lease_until=0).where(Job.id == job.id).execute()
    assert work.reap(context) == 1
    assert (work.get(job.id).state, work.get(job.id).note) == ("failed", "It stopped before its end.")
    other, owner = work.outside("camera", "Camera: 8 frames", shoot_id=shoot.id, files=8)
    work.finish(other.id, owner, "done")
    assert work.get(other.id).state == "done" and work.as_dict(work.get(other.id))["files_done"] == 8
