"""Requests that Schemathesis makes from the OpenAPI document, right and wrong: an answer or a clear 4xx, never a 500, no NaN."""

import json
import os
from pathlib import Path
from typing import Any

import pytest
import requests
import schemathesis
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from schemathesis import GenerationMode

from tests.conftest import Stack, small_dng
from tests.services.test_use_cases import run_jobs
from zincplate.services import bring_in, shoots
from zincplate.services.context import Context
from zincplate.store.models import Frame, Version

DOCUMENT = json.loads(Path("docs/openapi.json").read_text(encoding="utf-8"))
OPERATIONS = [o.ok() for o in schemathesis.openapi.from_dict(DOCUMENT).get_all_operations()]
NAMES = [f"{o.method} {o.path}" for o in OPERATIONS if o.path != "/api/events"]  # a stream does not end
COUNT = int(os.environ.get("ZINCPLATE_REQUESTS", "4"))
"""Of each kind, right and wrong."""


def no_constant(name: str) -> Any:
    """JSON has no NaN."""
    raise AssertionError(f"{name} in JSON")


@pytest.fixture(scope="module")
def session() -> Any:
    """One connection, as a page makes its requests."""
    with requests.Session() as opened:
        opened.headers.update({"X-Zincplate": "1"})
        yield opened


@pytest.mark.parametrize("mode", [GenerationMode.POSITIVE, GenerationMode.NEGATIVE], ids=["right", "wrong"])
@pytest.mark.parametrize("name", NAMES)
def test_every_request_has_an_answer(
    name: str, mode: GenerationMode, stack: Stack, context: Context, session: Any, tmp_path: Path
) -> None:
    operation = next(o for o in OPERATIONS if f"{o.method} {o.path}" == name)
    made = shoots.create("Every request")
    own = made.id if operation.path.startswith("/api/shoots") else None
    if operation.path.startswith(("/api/frames", "/api/versions", "/api/shoots/{id}")):
        (tmp_path / "TW-0500.dng").write_bytes(small_dng())
        bring_in.start(context, made, bring_in.files_in(tmp_path))
        run_jobs(context)
        frame = Frame.get(Frame.shoot == made.id)
        version = Version.get(Version.frame == frame.id)
        known = {"/api/shoots": made.id, "/api/frames": frame.id, "/api/versions": version.id}
        own = next(n for start, n in known.items() if operation.path.startswith(start))
    try:
        strategy = operation.as_strategy(generation_mode=mode)
    except Exception as error:  # there is nothing wrong to send where nothing is taken
        pytest.skip(str(error))

    @given(strategy, st.booleans())
    @settings(
        max_examples=COUNT, deadline=None, derandomize=True, database=None, suppress_health_check=list(HealthCheck),
    )  # fmt: skip
    def ask(case: Any, there: bool) -> None:
        if there and own is not None and "id" in (case.path_parameters or {}):
            case.path_parameters["id"] = own
        if isinstance(case.body, dict) and "folder" in case.body:
            case.body["folder"] = f"{tmp_path}/nowhere/{str(case.body['folder'])[:40]}"  # not the whole disk
        try:
            answer = case.call(base_url=stack.url, session=session, timeout=60)
        except (requests.exceptions.InvalidHeader, requests.exceptions.InvalidURL, UnicodeError):
            return  # nothing that could be sent
        assert answer.status_code < 500 or answer.status_code == 503, (case.as_curl_command(), answer.text[:300])
        if answer.headers.get("Content-Type", "").startswith("application/json") and answer.content:
            found = json.loads(answer.content, parse_constant=no_constant)
            if 400 <= answer.status_code < 500 and answer.status_code != 409:
                assert isinstance(found, dict) and found, answer.text[:200]
                assert "Error" not in answer.text and "Traceback" not in answer.text, answer.text[:300]

    try:
        ask()
    except Exception as error:
        if "Unsatisfiable" in type(error).__name__ or "Unsupported" in type(error).__name__:
            pytest.skip(str(error)[:100])
        raise
