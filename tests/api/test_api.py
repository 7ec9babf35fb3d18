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


def rows_of(answer: dict[str, Any]) -> list[dict[str, Any]]:
    """A list in columns as rows."""
    columns = answer["columns"]
    return [dict(zip(columns, values, strict=True)) for values in zip(*columns.values(), strict=True)]


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
    found: dict[str, Any] = rows_of(frames)[0]
    return found


def test_view_is_picture_histogram_and_clipping_in_one_answer(stack: Stack, frame: dict[str, Any]) -> None:
    body = {"recipe": None, "scaled_width": 360, "scaled_height": 240, "clipping": True}
    status, data = call(stack, "POST", f"/api/frames/{frame['id']}/view", body)
    assert status == 200
    length = struct.unpack_from("<I", data)[0]
    header = json.loads(data[4 : 4 + length])
    picture = simplejpeg.decode_jpeg(data[4 + length : 4 + length + sum(header["strips"])])
    assert picture.shape == (240, 360, 3) and np.array(header["histogram"]).sum(1).tolist() == [360 * 240] * 4
    assert data[4 + length + sum(header["strips"]) :][:4] == b"\x89PNG"
    assert header["as_shot"] == {"temperature_kelvin": pytest.approx(6504, abs=40), "tint": pytest.approx(0, abs=1)}


def test_a_small_picture_for_a_moving_hand_comes_as_plain_pixels_where_that_is_asked_for(
    stack: Stack, frame: dict[str, Any]
) -> None:
    def seen(width: int, **more: bool) -> tuple[dict[str, Any], bytes]:
        body = {"recipe": None, "scaled_width": width, "scaled_height": 2 * width // 3, "box": True, **more}
        status, data = call(stack, "POST", f"/api/frames/{frame['id']}/view", body)
        assert status == 200
        length = struct.unpack_from("<I", data)[0]
        header = json.loads(data[4 : 4 + length])
        assert len(data) == 4 + length + sum(header["strips"]) + header["clipping_bytes"]
        return header, data[4 + length :]

    header, data = seen(120, quick=True, plain=True, clipping=True)
    width, height = header["width"], header["height"]
    assert header["plain"] and header["strips"] == [width * height * 4] and data[width * height * 4 :][:4] == b"\x89PNG"
    pixels = np.frombuffer(data, np.uint8, width * height * 4).reshape(height, width, 4)
    assert (pixels[..., 3] == 255).all()
    for asked in ({"quick": True}, {"plain": True}, {}):
        coded, jpeg = seen(120, **asked)
        assert not coded["plain"]
        assert np.abs(simplejpeg.decode_jpeg(jpeg).mean((0, 1)) - pixels[..., :3].mean((0, 1))).max() < 1
    # the channels are in the order that a canvas has them
    assert header["histogram"][0] == np.bincount(pixels[..., 0].ravel(), minlength=256).tolist()
    assert header["histogram"][2] == np.bincount(pixels[..., 2].ravel(), minlength=256).tolist()


def test_a_view_that_was_called_off_and_arrives_late_does_not_stop_the_one_in_its_place(
    stack: Stack, frame: dict[str, Any]
) -> None:
    def asked(number: int, width: int) -> int:
        window = {
            "recipe": None,
            "scaled_width": width,
            "scaled_height": 2 * width // 3,
            "line": "page:adjusted",
            "number": number,
        }
        return int(call(stack, "POST", f"/api/frames/{frame['id']}/view", window)[0])

    assert [asked(*view) for view in ((12, 150), (11, 153), (12, 156), (13, 159), (12, 162))] == [200, 204, 200, 200, 204]


def test_a_stale_change_gets_the_current_state_and_one_sent_twice_is_made_once(stack: Stack, frame: dict[str, Any]) -> None:
    path = f"/api/versions/{frame['version']}"
    exposure = {"id": "one", "revision": 0, "do": "set", "values": {"tone": {"exposure_ev": 0.5}}}
    assert call(stack, "POST", path + "/changes", exposure)[0] == 200
    status, answer = call(stack, "POST", path + "/changes", exposure | {"id": "two", "values": {"tone": {"exposure_ev": 1.5}}})
    assert status == 409 and answer["current"]["revision"] == 1 and "changed elsewhere" in answer["error"]
    status, again = call(stack, "POST", path + "/changes", exposure)
    assert status == 200 and again["revision"] == 1 and len(again["history"]) == 2
    assert call(stack, "GET", path)[1]["recipe"]["tone"]["exposure_ev"] == 0.5


def test_two_dropped_files_of_one_name_both_come_in(stack: Stack, context: Context) -> None:
    batch = f"batch-{time.time_ns()}"
    for seed in (1, 2):
        assert call(stack, "PUT", f"/api/uploads/{batch}/TW-0801.dng", small_dng(seed=seed))[0] == 201
    _, started = call(stack, "POST", "/api/bring-in", {"name": "Twins", "source": "uploads", "batch": batch})
    wait_for_jobs(stack)
    frames = call(stack, "GET", f"/api/shoots/{started['shoot']}/frames")[1]
    frames = rows_of(frames)
    assert [f["name"] for f in frames] == ["TW-0801.dng"] * 2 and len({f["content_hash"] for f in frames}) == 2
    assert len(list((stack.home.originals / "twins").iterdir())) == 2
    assert not list((stack.home.cache / "incoming").iterdir())
    for n, found in enumerate(frames):
        change = {"revision": 0, "do": "set", "values": {"tone": {"exposure_ev": n + 1}}}
        assert call(stack, "POST", f"/api/versions/{found['version']}/changes", change)[0] == 200
    readable = sorted((stack.home.recipes / "twins").iterdir())
    assert {json.loads(p.read_text())["original"]["sha256"] for p in readable} == {f["content_hash"] for f in frames}


def test_a_small_picture_may_be_kept_under_its_own_address_only(stack: Stack, frame: dict[str, Any]) -> None:
    address = f"{stack.url}/api/versions/{frame['version']}/thumb?shows="
    with urllib.request.urlopen(address + frame["thumb"]) as answer:
        assert "max-age=31536000" in answer.headers["Cache-Control"]
        first = answer.read()
    change = {"revision": 0, "do": "set", "values": {"tone": {"exposure_ev": 1.5}}}
    state = call(stack, "POST", f"/api/versions/{frame['version']}/changes", change)[1]
    assert state["thumb"] != frame["thumb"]
    with urllib.request.urlopen(address + frame["thumb"]) as answer:  # as long as there is no other, what the address names
        assert "max-age=31536000" in answer.headers["Cache-Control"] and answer.read() == first
    with urllib.request.urlopen(address + state["thumb"]) as answer:
        assert "max-age=31536000" in answer.headers["Cache-Control"] and answer.read() != first
    with urllib.request.urlopen(address + frame["thumb"]) as answer:  # the old address shows the new picture, and says so
        assert answer.headers["Cache-Control"] == "no-store" and answer.read() != first
    for strange in ("", "x", "..%2F..%2F1-" + frame["thumb"], frame["thumb"] + "%0A", frame["thumb"].upper() + "0"):
        with urllib.request.urlopen(address + strange) as answer:
            assert answer.headers["Cache-Control"] == "no-store"


def test_a_frame_without_a_picture_of_its_cameras_is_no_error(stack: Stack, frame: dict[str, Any]) -> None:
    from zincplate.services import originals

    originals.preview_path(stack.home, frame["content_hash"]).unlink(missing_ok=True)
    assert call(stack, "GET", f"/api/frames/{frame['id']}/preview") == (204, b"")


@pytest.mark.parametrize(
    ("method", "path", "body", "status", "part"),
    [
        (
            "POST",
            "/api/versions/{v}/changes",
            {"revision": 0, "do": "set", "values": {"tone": {"brightness": 1}}},
            422,
            "brightness",
        ),
        (
            "POST",
            "/api/versions/{v}/changes",
            {"revision": 0, "do": "set", "values": {"tone": {"exposure_ev": 50}}},
            422,
            "exposure_ev",
        ),
        ("POST", "/api/versions/{v}/changes", {"do": "undo"}, 422, "revision"),
        ("POST", "/api/versions/{v}/changes", {"revision": 0, "do": "wish"}, 422, "do"),
        ("POST", "/api/versions/{v}/changes", {"revision": 0, "do": "set", "switches": {"dance": True}}, 422, "dance"),
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
    path = path.format(v=frame["version"], f=frame["id"])
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
    assert {j["kind"] for j in json.loads(line.removeprefix("data: "))["jobs"]} == {"bring_in", "thumbs", "sets"}


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
        from zincplate.jobs.waking import waker

        context.wake = waker(stack.home)
        assert work.reap(context) >= 1
    wait_for_jobs(stack)
    frames = call(stack, "GET", f"/api/shoots/{started['shoot']}/frames")[1]
    assert len(rows_of(frames)) == 12 and not frames["refusals"]
    assert all(f["thumb_state"] == "own" for f in rows_of(frames))
