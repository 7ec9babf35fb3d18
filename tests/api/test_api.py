"""The API over HTTP on a real server, worker and database."""

import json
import os
import struct
import time
import urllib.error
import urllib.request
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import simplejpeg

from tests.conftest import Stack, small_dng
from zincplate.services.context import Context


def call(stack: Stack, method: str, path: str, body: Any = None, headers: dict[str, str] | None = None) -> tuple[int, Any]:
    """Status and JSON (or bytes) of one request."""
    data = body if isinstance(body, bytes) else None if body is None else json.dumps(body).encode()
    sent = {"X-Zincplate": "1", "Content-Type": "application/json"} if headers is None else headers
    request = urllib.request.Request(stack.url + path, data, sent, method=method)
    try:
        with urllib.request.urlopen(request, timeout=60) as answer:
            content = answer.read()
            status = answer.status
    except urllib.error.HTTPError as error:
        content, status = error.read(), error.code
    return status, json.loads(content) if content[:1] in (b"{", b"[") else content


def wait_for_jobs(stack: Stack, seconds: float = 60) -> list[dict[str, Any]]:
    """Until nothing runs or waits."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        jobs = call(stack, "GET", "/api/jobs")[1]["jobs"]
        if jobs and all(j["state"] not in ("queued", "running") for j in jobs):
            return list(jobs)
        time.sleep(0.1)
    raise AssertionError(f"jobs did not end: {jobs}")


@pytest.fixture
def frame(stack: Stack, context: Context) -> dict[str, Any]:
    """A frame uploaded and brought in through the API."""
    batch = f"batch-{time.time_ns()}"
    for name, data in (("TW-0800.dng", small_dng()), ("../../evil.dng", b"words words words words")):
        status, answer = call(stack, "PUT", f"/api/uploads/{batch}/{urllib.request.quote(name, safe='')}", data)
        assert status == 201, answer
    status, started = call(stack, "POST", "/api/bring-in", {"name": "Dropped", "source": "uploads", "batch": batch})
    assert status == 202, started
    wait_for_jobs(stack)
    frames = call(stack, "GET", f"/api/shoots/{started['shoot']}/frames")[1]
    assert [r["name"] for r in frames["refusals"]] == ["evil.dng"]
    found: dict[str, Any] = frames["frames"][0]
    return found


def test_view_is_picture_histogram_and_clipping_in_one_answer(stack: Stack, frame: dict[str, Any]) -> None:
    body = {"recipe": None, "scaled_width": 360, "scaled_height": 240, "clipping": True}
    status, data = call(stack, "POST", f"/api/frames/{frame['id']}/view", body)
    assert status == 200
    length = struct.unpack_from("<I", data)[0]
    header = json.loads(data[4 : 4 + length])
    picture = simplejpeg.decode_jpeg(data[4 + length : 4 + length + header["picture_bytes"]])
    assert picture.shape == (240, 360, 3) and np.array(header["histogram"]).sum(1).tolist() == [360 * 240] * 4
    assert data[4 + length + header["picture_bytes"] :][:4] == b"\x89PNG"
    assert header["as_shot"] == {"temperature_kelvin": pytest.approx(6504, abs=40), "tint": pytest.approx(0, abs=1)}


def test_a_stale_revision_gets_the_current_state(stack: Stack, frame: dict[str, Any]) -> None:
    path = f"/api/versions/{frame['version']}"
    _, version = call(stack, "GET", path)
    recipe = version["recipe"] | {"tone": version["recipe"]["tone"] | {"exposure_ev": 0.5}}
    assert call(stack, "PUT", path + "/recipe", {"revision": 0, "recipe": recipe})[0] == 200
    other = recipe | {"tone": recipe["tone"] | {"exposure_ev": 1.5}}
    status, answer = call(stack, "PUT", path + "/recipe", {"revision": 0, "recipe": other})
    assert status == 409 and answer["current"]["revision"] == 1 and "changed elsewhere" in answer["error"]
    assert call(stack, "GET", path)[1]["recipe"]["tone"]["exposure_ev"] == 0.5


@pytest.mark.parametrize(
    ("method", "path", "body", "status", "part"),
    [
        (
            "PUT",
            "/api/versions/{v}/recipe",
            {"revision": 0, "recipe": {"recipe": 1, "tone": {"brightness": 1}}},
            422,
            "brightness",
        ),
        (
            "PUT",
            "/api/versions/{v}/recipe",
            {"revision": 0, "recipe": {"recipe": 1, "tone": {"exposure_ev": 50}}},
            422,
            "exposure_ev",
        ),
        ("PUT", "/api/versions/{v}/recipe", {"recipe": {}}, 422, "revision"),
        ("POST", "/api/frames/{f}/view", {"scaled_width": 0, "scaled_height": 5}, 422, "scaled_width"),
        ("POST", "/api/frames/{f}/neutral", {"recipe": {"recipe": 1}, "x": -900, "y": 0}, 422, "outside"),
        ("POST", "/api/frames/999999/view", {"scaled_width": 9, "scaled_height": 9}, 404, "no such frame"),
        ("PATCH", "/api/frames/marks", {"frames": [999999], "mark": "keep"}, 404, "not there"),
        ("PATCH", "/api/frames/marks", {"frames": [1], "mark": "love"}, 422, "mark"),
        ("POST", "/api/bring-in", {"source": "card", "name": "None"}, 422, "no such folder"),
        ("POST", "/api/bring-in", {"source": "folder", "folder": "pictures"}, 422, "whole path"),
        ("POST", "/api/bring-in", {"shoot": 1, "source": "folder", "folder": "/nowhere/at/all"}, 422, "no such folder"),
        ("POST", "/api/deliveries", {"versions": [], "presets": []}, 422, "versions"),
        ("GET", "/api/deliveries/999999/file", None, 404, "no such delivery"),
        ("DELETE", "/api/jobs/none", None, 404, "no such job"),
        ("GET", "/api/nothing", None, 404, "nothing at this address"),
    ],
)
def test_bad_requests_get_a_sentence(
    stack: Stack, frame: dict[str, Any], method: str, path: str, body: Any, status: int, part: str
) -> None:
    path = path.format(v=frame["version"], f=frame["id"], s=frame["shoot"])
    got, answer = call(stack, method, path, body)
    assert got == status and part in answer["error"], answer


def test_forged_requests_are_refused(stack: Stack, context: Context) -> None:
    body = {"name": "Forged", "source": "card"}
    plain = {"Content-Type": "application/json"}
    assert call(stack, "POST", "/api/bring-in", body, plain)[0] == 403
    assert call(stack, "POST", "/api/bring-in", body, plain | {"X-Zincplate": "1", "Origin": "http://evil.example"})[0] == 403
    assert call(stack, "POST", "/api/bring-in", body, plain | {"X-Zincplate": "1", "Sec-Fetch-Site": "cross-site"})[0] == 403
    assert call(stack, "GET", "/api/shoots", None, {"Host": "evil.example"})[0] == 400
    with urllib.request.urlopen(stack.url + "/") as answer:
        assert "script-src 'self'" in answer.headers["Content-Security-Policy"]
        assert answer.headers["X-Content-Type-Options"] == "nosniff"


def test_events_tell_of_jobs(stack: Stack, frame: dict[str, Any]) -> None:
    with urllib.request.urlopen(stack.url + "/api/events", timeout=10) as stream:
        line = stream.readline().decode()
    assert {j["kind"] for j in json.loads(line.removeprefix("data: "))["jobs"]} == {"bring_in", "thumbs"}


def test_a_killed_workers_job_is_finished_by_another(
    stack: Stack, context: Context, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from zincplate.services import work
    from zincplate.store.models import Job

    for i in range(12):
        (tmp_path / f"TW-09{i:02d}.dng").write_bytes(small_dng(seed=100 + i))
    body = {"name": "Interrupted", "source": "folder", "folder": str(tmp_path)}
    _, started = call(stack, "POST", "/api/bring-in", body)
    end = time.monotonic() + 30
    while not 0 < call(stack, "GET", "/api/jobs")[1]["jobs"][0]["progress"] < 1:
        assert time.monotonic() < end
        time.sleep(0.01)
    os.killpg(stack.children["worker"].pid, 9)
    stack.children["worker"].wait()
    state = call(stack, "GET", "/api/jobs")[1]["jobs"][-1]
    stack.start_worker()
    if state["state"] == "running":  # killed in the middle: the supervisor takes the job back when its lease is over
        Job.update(lease_until=0).where(Job.id == state["id"]).execute()
        from zincplate.jobs.queue import waker

        context.wake = waker(stack.home)
        assert work.reap(context) >= 1
    wait_for_jobs(stack)
    frames = call(stack, "GET", f"/api/shoots/{started['shoot']}/frames")[1]
    assert len(frames["frames"]) == 12 and not frames["refusals"]
    assert all(f["thumb_state"] == "own" for f in frames["frames"])
