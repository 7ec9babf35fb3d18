"""Frames too small to be looked at are refused by name and size, whatever is to be made of them; a little larger ones are merged
or refused with a reason."""

from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from tests.contract.test_operations import rendered
from zincplate.formats.lens_profiles import LensDatabase
from zincplate.merges.errors import MergeError
from zincplate.merges.focus.options import FocusOptions
from zincplate.merges.kinds import merged
from zincplate.merges.options import BracketOptions
from zincplate.merges.panorama.options import PanoramaOptions
from zincplate.merges.series.options import SeriesOptions
from zincplate.merges.view import Opened, opened

KINDS = {
    "bracket": BracketOptions(),
    "bracket as taken": BracketOptions(align=False),
    "series": SeriesOptions(),
    "series as taken": SeriesOptions(align="none"),
    "focus": FocusOptions(),
    "panorama": PanoramaOptions(),
}


def frames(width: int, height: int, step_ev: float) -> list[Opened]:
    sources = []
    for i in range(3):
        y, x = np.mgrid[:height, :width]
        light = (0.3 + 0.15 * np.sin((x + i) / 6) + 0.15 * np.cos(y / 5)) * 2.0 ** (step_ev * (i - 1))
        codes = np.rint(np.clip(np.stack([light, 0.9 * light, 0.8 * light], -1), 0, 1) * 65535).astype(np.uint16)
        source = rendered(codes)
        time_s = 0.01 * 2.0 ** (step_ev * (i - 1))
        source.capture = replace(source.capture, exposure_time_s=time_s, f_number=8.0, iso=100)
        sources.append((f"TW-000{i}.tif", source))
    return opened(sources)


@pytest.mark.parametrize("size", [(1, 1), (2, 40), (40, 3)])
@pytest.mark.parametrize("kind", KINDS)
def test_frames_too_small_to_be_looked_at_are_refused(kind: str, size: tuple[int, int]) -> None:
    options: Any = KINDS[kind]
    with pytest.raises(MergeError, match=rf"TW-0000\.tif: It has {size[0]} x {size[1]} pixels"):
        merged(frames(*size, 1.0), options, LensDatabase(), "test", [])


@pytest.mark.parametrize("size", [(4, 4), (5, 40), (40, 7), (257, 65)])
@pytest.mark.parametrize("kind", KINDS)
def test_larger_ones_are_merged_or_refused_with_a_reason(kind: str, size: tuple[int, int]) -> None:
    options: Any = KINDS[kind]
    try:
        master = merged(frames(*size, 1.0 if "bracket" in kind else 0.0), options, LensDatabase(), "test", [])
    except MergeError as reason:
        assert str(reason).endswith(".") and kind != "series as taken"
        return
    assert len(master.dng) > 500
