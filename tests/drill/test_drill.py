"""A short drill: processes killed under a scripted user; nothing that was acknowledged is lost, nothing half is left.

The long one is ``./zincplate drill --minutes N``; docs/reliability.md holds what it found.
"""

import os
import shutil
import tempfile
from pathlib import Path

import pytest

from tests.conftest import free_port
from zincplate.drill.drill import Drill
from zincplate.drill.processes import KINDS

SECONDS = float(os.environ.get("ZINCPLATE_DRILL_SECONDS", "15"))


@pytest.mark.timeout(600)
def test_kills_lose_nothing(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("ZINCPLATE_PAGE", str(Path("web/dist").resolve()))
    home = Path(tempfile.mkdtemp(prefix="zd"))
    report = Drill(home, free_port(), seed=7, pause_s=(0.4, 1.6)).run(SECONDS)
    assert not report.faults, "\n".join(report.lines())
    assert sum(report.kills.values()) >= 3 and set(report.kills) <= set(KINDS), report.lines()
    assert report.acknowledged >= 2 and report.lost == 0, report.lines()
    shutil.rmtree(home, ignore_errors=True)
