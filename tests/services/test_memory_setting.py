"""How much memory is used where nobody says."""

import os
from pathlib import Path

import pytest

from zincplate.services.context import DEFAULT_MB, MEMORY_MB, MOST_MB, UserError, memory_setting, usual_mb

MACHINE_MB = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") >> 20


@pytest.mark.parametrize(
    ("control_group", "wanted_mb"),
    [
        ("max\n", MACHINE_MB / 4),
        (str(1 << 50), MACHINE_MB / 4),  # more than there is
        (str(12_000 << 20), min(MACHINE_MB, 12_000) / 4),
        (str(512 << 20), 0),
        (None, MACHINE_MB / 4),
    ],
)
def test_a_quarter_of_what_may_be_had_within_limits(control_group: str | None, wanted_mb: float, tmp_path: Path) -> None:
    file = tmp_path / "memory.max"
    if control_group is not None:
        file.write_text(control_group)
    assert usual_mb(file) == pytest.approx(min(max(wanted_mb, DEFAULT_MB), MOST_MB), abs=1)


def test_a_setting_counts_and_a_wrong_one_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.delenv(MEMORY_MB, raising=False)
    assert memory_setting() == usual_mb() << 20
    monkeypatch.setenv(MEMORY_MB, "900")
    assert memory_setting() == 900 << 20
    for wrong in ("", "767", "2 GB", "-900"):
        monkeypatch.setenv(MEMORY_MB, wrong)
        with pytest.raises(UserError, match=MEMORY_MB):
            memory_setting()
