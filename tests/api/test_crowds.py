"""Many at once: jobs, streams, half-sent requests, slow views; and what is said when there is no room."""

import errno
import json
import socket
import threading
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Any

import peewee
import pytest
from playhouse.pool import MaxConnectionsExceeded

from tests.api.test_api import call, frame, wait_for_jobs
from tests.conftest import Stack, small_dng
from tests.services.test_use_cases import run_jobs
from zincplate.api import app as web
from zincplate.api.jobs import STREAMS
from zincplate.recipe.document import Recipe
from zincplate.services import bring_in, shoots
from zincplate.services.context import Context
from zincplate.store.database import begin_request, database, end_request, let_go
from zincplate.store.models import Frame

__all__ = ["frame"]

WEB = {"name": "Small", "suffix": "-s", "long_edge": 64}


def test_twenty_jobs_started_at_once_are_all_accepted_and_run_once(stack: Stack, frame: dict[str, Any]) -> None:
    def start(k: int) -> tuple[int, Any]:
        body = {"versions": [frame["version"]], "presets": [{**WEB, "suffix": f"-{k}"}], "request_key": f"crowd-{k}"}
        return call(stack, "POST", "/api/deliveries", body)

    with ThreadPoolExecutor(20) as pool:
        answers = list(pool.map(start, range(20)))
    assert [status for status, _ in answers] == [202] * 20
    again = start(7)
    assert again[0] == 202 and again[1]["id"] == answers[7][1]["id"]
    jobs = [j for j in wait_for_jobs(stack, 120) if j["kind"] == "deliver"]
    assert len(jobs) == 20 and {j["state"] for j in jobs} == {"done"}
    written = call(stack, "GET", f"/api/deliveries?shoot={jobs[0]['shoot'] or 0}")[1]
    files = [d["file"] for d in written.get("deliveries", [])]
    assert len(files) == len(set(files))


@contextmanager
def listening(stack: Stack) -> Iterator[Any]:
    request = urllib.request.Request(stack.url + "/api/events")
    with urllib.request.urlopen(request, timeout=10) as answer:
        yield answer


def test_streams_are_bounded_and_the_rest_goes_on(stack: Stack, context: Context) -> None:
    with ExitStack() as all_of_them:
        for _ in range(STREAMS):
            stream = all_of_them.enter_context(listening(stack))
            assert stream.readline().startswith(b"data: ")
        with pytest.raises(urllib.error.HTTPError) as refused, listening(stack):
            pass
        assert refused.value.code == 503 and refused.value.headers["Retry-After"] == "10"
        assert "listening already" in json.loads(refused.value.read())["error"]
        assert call(stack, "GET", "/api/shoots")[0] == 200
    end = time.monotonic() + 30  # a stream that nobody hears ends at its next word
    while True:
        try:
            with listening(stack) as stream:
                assert stream.readline()
            break
        except urllib.error.HTTPError:
            assert time.monotonic() < end, "the place of a closed stream is not free again"
            time.sleep(0.5)


def test_half_sent_requests_hold_nothing_up(stack: Stack, context: Context) -> None:
    host, port = stack.url.removeprefix("http://").split(":")
    body = b"PUT /api/uploads/b/x.dng HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Zincplate: 1\r\nContent-Length: 10\r\n\r\nabc"
    with ExitStack() as all_of_them:
        sockets = []
        for k in range(40):  # the server has 32 threads
            connection = all_of_them.enter_context(socket.create_connection((host, int(port))))
            connection.sendall(b"GET /api/shoots HTTP/1.1\r\nHost: 127" if k else body)
            sockets.append(connection)
        start = time.monotonic()
        assert call(stack, "GET", "/api/shoots")[0] == 200
        assert time.monotonic() - start < 15
        for connection in sockets[1:]:
            connection.settimeout(20)
            assert b"200" not in connection.recv(1000)


def test_a_body_that_comes_slowly_but_comes_is_read(stack: Stack, context: Context) -> None:
    host, port = stack.url.removeprefix("http://").split(":")
    body = json.dumps({"versions": [1], "presets": []}).encode()
    head = (
        f"POST /api/deliveries/plan HTTP/1.1\r\nHost: {host}:{port}\r\nX-Zincplate: 1\r\nContent-Type: application/json\r\n"
        f"Content-Length: {len(body)}\r\n\r\n"
    )
    with socket.create_connection((host, int(port)), timeout=20) as connection:
        connection.sendall(head.encode() + body[:5])
        time.sleep(4)  # longer than a header may take
        connection.sendall(body[5:])
        assert connection.recv(100).startswith(b"HTTP/1.1 422")


def test_views_hold_no_connection_while_they_are_rendered(
    context: Context, frame_here: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    client = web.create_app(context).test_client()
    held: list[bool] = []
    real = context.renderer.open

    def open_(*arguments: Any, **more: Any) -> Any:
        held.append(not database.is_closed())
        return real(*arguments, **more)

    monkeypatch.setattr(context.renderer, "open", open_)
    place, recipe = {"x": 20, "y": 20, "radius": 3}, frame_here["recipe"]
    asked: dict[str, dict[str, Any]] = {
        "view": {"recipe": None, "scaled_width": 60, "scaled_height": 40},
        "pixel": {"recipe": recipe, **place},
        "neutral": {"recipe": recipe, **place},
        "key": {"recipe": recipe, **place},
        "suggest": {"recipe": recipe, "of": "tone"},
        "framing": {"recipe": recipe, "action": {"do": "mirror"}},
    }

    def ask_all() -> None:
        for what, body in asked.items():
            client.post(f"/api/frames/{frame_here['id']}/{what}", json=body, headers={"X-Zincplate": "1"})

    # another thread, as a request has one: this one's connection belongs to the test
    asker = threading.Thread(target=ask_all)
    asker.start()
    asker.join()
    assert held == [False] * len(asked)


@pytest.fixture
def frame_here(context: Context, tmp_path: Any) -> dict[str, Any]:
    """A frame brought in without a server."""
    from tests.conftest import small_dng
    from tests.services.test_use_cases import run_jobs
    from zincplate.services import bring_in, shoots
    from zincplate.store.models import Frame, Version

    path = tmp_path / "TW-0810.dng"
    path.write_bytes(small_dng())
    shoot = shoots.create("Here")
    bring_in.start(context, shoot, [path], develop_small=False)
    run_jobs(context)
    found = Frame.get(Frame.shoot == shoot)
    version = Version.get(Version.frame == found)
    return {"id": found.id, "version": version.id, "recipe": version.recipe}


def test_a_request_gives_its_connection_back_and_takes_it_again() -> None:
    def request() -> None:
        begin_request()
        seen.append(database.is_closed())
        with database.atomic():
            let_go()  # never in the middle of a transaction
            seen.append(database.is_closed())
        let_go()
        seen.append(database.is_closed())
        database.execute_sql("SELECT 1")
        seen.append(database.is_closed())
        end_request()
        seen.append(database.is_closed())
        with database.connection_context():
            let_go()  # jobs keep theirs
            seen.append(database.is_closed())

    seen: list[bool] = []
    caller = threading.Thread(target=request)
    caller.start()
    caller.join()
    assert seen == [False, False, True, False, True, False]


def test_a_moving_hand_takes_no_connection(context: Context, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "TW-0001.dng"
    path.write_bytes(small_dng())
    bring_in.start(context, shoots.create("Kiln"), [path])
    run_jobs(context)
    frame = Frame.get()
    recipe = Recipe.neutral(True).to_document()
    view = {"recipe": recipe, "scaled_width": 60, "scaled_height": 40, "quick": True, "line": "a:b"}
    places: list[tuple[str, dict[str, Any]]] = [
        ("view", {**view, "urgency": "seen", "number": 1}),
        ("view", {**view, "urgency": "hand", "number": 2}),
        ("pixel", {"recipe": recipe, "x": 90, "y": 50, "radius": 1}),
        ("view", {**view, "urgency": "seen", "number": 3}),
    ]
    taken = list[int]()
    connect = type(database).connect
    monkeypatch.setattr(type(database), "connect", lambda self, **how: (taken.append(1), connect(self, **how))[1])
    client = web.create_app(context).test_client()
    counts = []
    with ThreadPoolExecutor(1) as other:  # as a request has a thread
        for place, body in places:
            taken.clear()
            address = f"/api/frames/{frame.id}/{place}"
            answer = other.submit(client.post, address, json=body, headers={"X-Zincplate": "1"}).result()
            assert answer.status_code == 200, answer.get_data(as_text=True)
            counts.append(len(taken))
    assert counts[0] > 0 and counts[1:3] == [0, 0] and counts[3] > 0


@pytest.mark.parametrize("place", ["/api/shoots", "/api/versions/1/thumb"])  # asked for at once; with the first query
def test_no_free_connection_is_busy_and_no_fault(context: Context, monkeypatch: pytest.MonkeyPatch, place: str) -> None:
    def none_left(reuse_if_open: bool = False) -> None:
        raise MaxConnectionsExceeded("Max connections exceeded, timed out attempting to connect.")

    monkeypatch.setattr(database, "connect", none_left)
    with ThreadPoolExecutor(1) as other:  # as a request has a thread
        answer = other.submit(web.create_app(context).test_client().get, place).result()
    assert answer.status_code == 503 and answer.headers["Retry-After"] == "2"
    assert "Try again in a moment" in answer.json["error"]


@pytest.mark.parametrize(
    ("error", "status", "words"),
    [
        (peewee.OperationalError(1114, "The table 'history_entry' is full"), 507, "disk is full"),
        (peewee.OperationalError(1021, "Disk full (/tmp); waiting for someone to free some space"), 507, "disk is full"),
        (peewee.OperationalError(1030, 'Got error 28 "No space left on device"'), 507, "disk is full"),
        (
            peewee.OperationalError(1030, 'Got error 128 "Out of memory in engine"'),
            503,
            "does not answer",
        ),
        (peewee.OperationalError(2006, "Server has gone away"), 503, "does not answer"),
        (peewee.InterfaceError(0, ""), 503, "does not answer"),
        (peewee.InterfaceError(), 503, "does not answer"),
        (OSError(errno.ENOSPC, "No space left on device"), 507, "disk is full"),
        (OSError(errno.EIO, "Input/output error"), 507, "The disk refused"),
    ],
)
def test_a_full_disk_is_told_from_a_database_that_is_away(
    context: Context, monkeypatch: pytest.MonkeyPatch, error: Exception, status: int, words: str
) -> None:
    def refuse(*_: Any, **__: Any) -> None:
        raise error

    monkeypatch.setattr(database, "connect", refuse)
    with ThreadPoolExecutor(1) as other:
        answer = other.submit(web.create_app(context).test_client().get, "/api/shoots").result()
    assert answer.status_code == status and words in answer.json["error"]


def test_a_cut_upload_leaves_nothing(stack: Stack, context: Context) -> None:
    host, port = stack.url.removeprefix("http://").split(":")
    batch = f"cut-{time.time_ns()}"
    head = (
        f"PUT /api/uploads/{batch}/TW-0811.dng HTTP/1.1\r\nHost: {host}:{port}\r\nX-Zincplate: 1\r\n"
        "Content-Type: application/octet-stream\r\nContent-Length: 5000\r\n\r\n"
    )
    with socket.create_connection((host, int(port)), timeout=20) as connection:
        connection.sendall(head.encode() + b"x" * 1000)
        connection.shutdown(socket.SHUT_WR)
        assert b" 201 " not in connection.recv(1000)
    folder = stack.home.cache / "incoming" / batch
    assert [p for p in folder.rglob("*") if p.is_file()] == []


@pytest.mark.parametrize(
    ("method", "path", "body", "words"),
    [
        ("POST", "/api/bring-in", {"name": "x", "source": "folder", "folder": "~nosuchuser/card"}, "no such user"),
        ("POST", "/api/bring-in", {"name": "x", "source": "folder", "folder": "/" + "a" * 3000}, "cannot be used"),
        ("POST", "/api/bring-in", {"name": "x", "source": "folder", "folder": "/a\0b"}, "no such characters"),
        ("GET", "/api/versions/99999999999999999999", None, ""),
        ("GET", "/api/shoots/99999999999999999999/frames", None, ""),
        ("POST", "/api/deliveries", b'{"versions":' + b"[" * 100_000, "")
    ],
)  # fmt: skip
def test_odd_requests_get_a_clear_answer(stack: Stack, context: Context, method: str, path: str, body: Any, words: str) -> None:
    status, answer = call(stack, method, path, body, {"X-Zincplate": "1", "Content-Type": "application/json"})
    assert 400 <= status < 500, (status, answer)
    assert words in answer["error"] and "Error" not in answer["error"]


@pytest.mark.parametrize(
    ("place", "wanted"),
    [
        ("/shoots/7", "/api/shoots/7/frames"),
        ("/shoots/12/frames/3?step=repair", "/api/shoots/12/frames"),
        ("/", ""),
        ("/find", ""),
    ],
)
def test_the_page_of_a_shoot_names_its_list(context: Context, tmp_path: Path, place: str, wanted: str) -> None:
    """HTML Living Standard, link type "preload": the browser fetches the list while it loads the page's script."""
    (tmp_path / "index.html").write_text("page")
    with ThreadPoolExecutor(1) as other:
        answer = other.submit(web.create_app(context, tmp_path).test_client().get, place).result()
    link = answer.headers.get("Link", "")
    assert answer.text == "page" and link == (f"<{wanted}>; rel=preload; as=fetch; crossorigin" if wanted else "")
