"""Which tests run through which line, and how long they take: what ``tools/mutate.py --by-line`` chooses its tests by.

As a plug-in of pytest (``-p tools.tests_by_line``, with ``TESTS_BY_LINE`` naming the file to write and ``TESTS_BY_LINE_OF`` the
folders of modules, separated by ``:``) it records; ``Recorded`` reads. Compiled kernels leave no lines: a line that nothing ran
through has the tests of its module, and a module without any has all.
"""

import itertools
import json
import math
import os
from collections import defaultdict
from collections.abc import Iterator
from pathlib import Path

import coverage
import pytest

TOLD_IN = os.environ.get("TESTS_BY_LINE", "")


class Recorder:
    """Switches the context of one coverage measurement; what a fixture runs through belongs to all tests of its file."""

    def __init__(self) -> None:
        self.coverage = coverage.Coverage(data_file=None, source=os.environ["TESTS_BY_LINE_OF"].split(":"))
        self.coverage.start()
        self.seconds: dict[str, float] = defaultdict(float)

    @pytest.hookimpl(wrapper=True)
    def pytest_runtest_setup(self, item: pytest.Item) -> Iterator[None]:
        """Fixtures are made here, for whichever test comes first."""
        self.coverage.switch_context(item.nodeid.split("::")[0])
        yield
        self.coverage.switch_context("")

    @pytest.hookimpl(wrapper=True)
    def pytest_runtest_call(self, item: pytest.Item) -> Iterator[None]:
        """The test itself."""
        self.coverage.switch_context(item.nodeid)
        yield
        self.coverage.switch_context("")

    def pytest_runtest_logreport(self, report: pytest.TestReport) -> None:
        """How long a test takes, by its name."""
        if report.when == "call":
            self.seconds[report.nodeid] += report.duration

    def pytest_sessionfinish(self) -> None:
        """Writes lines and durations."""
        self.coverage.stop()
        data = self.coverage.get_data()
        lines = {file: data.contexts_by_lineno(file) for file in data.measured_files()}
        Path(TOLD_IN).write_text(json.dumps({"lines": lines, "seconds": self.seconds}))


if TOLD_IN:

    def pytest_configure(config: pytest.Config) -> None:
        """Measuring begins before any module of the project is imported."""
        config.pluginmanager.register(Recorder())


class Recorded:
    """What was recorded in ``file``."""

    def __init__(self, file: Path) -> None:
        told = json.loads(file.read_text())
        self.seconds: dict[str, float] = told["seconds"]
        self._lines: dict[str, dict[str, list[str]]] = told["lines"]

    def through(self, module: Path, line: int, within_s: float = math.inf) -> list[list[str]]:
        """Tests to try one after the other: those that run through ``line`` (1-based) of ``module``, then all others of their
        files, since tests share what one of them worked out. Those of the file that has the quickest come first; of each part as
        many as take ``within_s``, at least one."""
        by_line = self._lines.get(str(module), {})
        through = {name for name in by_line.get(str(line), []) if name}
        through = through or {name for names in by_line.values() for name in names if name} or set(self.seconds)
        files = {name.split("::")[0] for name in through}
        direct = [name for name in self.seconds if name in through]
        others = [name for name in self.seconds if name not in through and name.split("::")[0] in files]
        return [self._first(self._quickest_first(one), within_s) for one in (direct, others) if one]

    def _first(self, names: list[str], within_s: float) -> list[str]:
        lasting_s = list(itertools.accumulate(self.seconds[name] for name in names))
        return names[: max(sum(until <= within_s for until in lasting_s), 1)]

    def lasting_s(self, names: list[str]) -> float:
        """Seconds that these tests took, without their fixtures."""
        return sum(self.seconds[name] for name in names)

    def _quickest_first(self, names: list[str]) -> list[str]:
        quickest: dict[str, float] = {}
        for name in names:
            file = name.split("::")[0]
            quickest[file] = min(quickest.get(file, self.seconds[name]), self.seconds[name])
        return sorted(names, key=lambda name: (quickest[name.split("::")[0]], name.split("::")[0], self.seconds[name]))
