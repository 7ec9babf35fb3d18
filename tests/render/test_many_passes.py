"""Twenty passes that each go by another look of the picture: looks are found once, not for every view and every part."""

from typing import Any

import numpy as np
import pytest

from tests.contract.test_operations import rendered
from tests.contract.test_passes import with_passes
from zincplate.core.areas import ranges
from zincplate.core.tone import evening
from zincplate.formats.isolated import Decoder
from zincplate.pipeline import pass_forms
from zincplate.recipe.document import Recipe
from zincplate.render.render import Renderer
from zincplate.render.view import ViewRequest
from zincplate.services.context import DEFAULT_MB, LEAST_BYTES, PROGRAM_BYTES, WEB_SHARE
from zincplate.sources.file import Source

LOOKS = 20
WEB_BYTES = int(WEB_SHARE * (DEFAULT_MB << 20)) - PROGRAM_BYTES


def picture() -> Source:
    """As large as small pictures are."""
    y, x = np.mgrid[0:700, 0:1100]
    light = 20_000 + 12_000 * np.sin(x / 90) + 12_000 * np.cos(y / 70)
    return rendered(np.stack([light, light * 0.9, light * 0.7], -1).astype(np.uint16))


def counted(monkeypatch: pytest.MonkeyPatch, module: object, name: str) -> list[None]:
    """One entry a call of a function from now on."""
    calls, real = list[None](), getattr(module, name)

    def spied(*args: Any, **named: Any) -> Any:
        calls.append(None)
        return real(*args, **named)

    monkeypatch.setattr(module, name, spied)
    return calls


def looked_at(exposure_ev: float) -> Recipe:
    passes = [{"area": {"terms": [{"kind": "tone", "low": 3 * n}]}, "controls": {"exposure_ev": 0.1}} for n in range(LOOKS)]
    return with_passes(*passes).with_values({"tone": {"exposure_ev": exposure_ev}})


def test_views_of_the_web_process_keep_them(monkeypatch: pytest.MonkeyPatch) -> None:
    source, renderer, found = picture(), Renderer(Decoder(), memory_bytes=WEB_BYTES), counted(monkeypatch, ranges, "between")
    for step in range(3):
        renderer.view(source, "picture", looked_at(step / 10), ViewRequest(500, 318))
        renderer.view(source, "picture", looked_at(step / 10), ViewRequest(1100, 700, 200, 100, 300, 200))
    assert len(found) == LOOKS


def test_a_delivery_keeps_them_however_little_a_worker_keeps_for_later(monkeypatch: pytest.MonkeyPatch) -> None:
    source, renderer, found = picture(), Renderer(Decoder(), memory_bytes=LEAST_BYTES), counted(monkeypatch, ranges, "between")
    renderer.deliver(source, looked_at(0.0), space="srgb", bits=8)
    assert len(found) == LOOKS


def test_forms_of_skin_in_two_sizes_and_glow_are_kept_beside_each_other(monkeypatch: pytest.MonkeyPatch) -> None:
    source, renderer = picture(), Renderer(Decoder(), memory_bytes=WEB_BYTES)
    forms, glows = counted(monkeypatch, pass_forms, "evening_planes"), counted(monkeypatch, pass_forms, "glow_planes")
    for step in range(3):
        recipe = with_passes(
            {"controls": {"even_light": 40, "even_colour": 30, "forms_percent": evening.FINE_PERCENT / 2}},
            {"controls": {"even_light": 20, "forms_percent": evening.FINE_PERCENT / 3}},
            {"controls": {"glow": 30}},
        ).with_values({"tone": {"exposure_ev": step / 10}})
        renderer.view(source, "picture", recipe, ViewRequest(500, 318))
    assert len(forms) == 2 and len(glows) == 1
    renderer.deliver(source, recipe, space="srgb", bits=8)
    assert len(forms) == 4 and len(glows) == 2
