"""The last kernel on some parts of rows: what lies in others stays as it is, and two calls make the whole."""

from typing import Any

import numpy as np
import pytest

from zincplate.core.kernels.kernel_math import BLOCK
from zincplate.core.kernels.light import Parts, to_8_bit, to_16_bit, to_float
from zincplate.core.tone.pass_display import reached_by
from zincplate.pipeline.lit import Lit, Over
from zincplate.tables.light_plan import finishing_tables

HEIGHT, WIDTH = 5, 2 * BLOCK + 20
TABLES = finishing_tables("srgb", True)
LIGHT = np.random.default_rng(3).random((3, HEIGHT, WIDTH), np.float32)
BLOCKS = np.array([[0, 1, 0], [1, 0, 1], [0, 0, 0], [1, 1, 1], [0, 0, 1]], np.uint8)


def meant(value: int) -> np.ndarray:
    return np.repeat(value == BLOCKS, BLOCK, axis=1)[:, :WIDTH]


def written(kind: str, parts: Parts | None) -> Any:
    if kind == "8 bit":
        out: Any = np.full((HEIGHT, WIDTH, 3), 7, np.uint8)
        to_8_bit(LIGHT, TABLES, 3, 4, out, parts)
        return out
    if kind == "16 bit":
        out = np.full((HEIGHT, WIDTH, 3), 7, np.uint16)
        to_16_bit(LIGHT, TABLES, out, parts)
        return out
    out = np.full((3, HEIGHT, WIDTH), 7, np.float32)
    to_float(LIGHT, TABLES, out, parts)
    return np.moveaxis(out, 0, -1)


@pytest.mark.parametrize("kind", ["8 bit", "16 bit", "float"])
@pytest.mark.parametrize("value", [0, 1])
def test_only_the_wanted_parts_are_written(kind: str, value: int) -> None:
    whole, part = written(kind, None), written(kind, Parts(BLOCKS, value))
    mask = meant(value)
    assert np.array_equal(part[mask], whole[mask]) and (part[~mask] == 7).all()


def test_parts_are_reached_by_whatever_covers_a_place_of_them() -> None:
    first, second = np.zeros((2, HEIGHT, WIDTH), np.float32)
    first[0, BLOCK] = 1e-6
    first[1, 0] = second[1, WIDTH - 1] = 1
    second[3, BLOCK - 1 : 2 * BLOCK + 1] = 0.5
    second[4, 2 * BLOCK :] = 1
    assert np.array_equal(reached_by([first, second], (HEIGHT, WIDTH)), BLOCKS)
    assert np.array_equal(reached_by([], (HEIGHT, WIDTH)), np.zeros_like(BLOCKS))


def test_light_over_planes_takes_their_place_where_it_reaches() -> None:
    other = 1 - LIGHT
    lit = Lit(LIGHT, TABLES, Over(other, TABLES, BLOCKS))
    plain, over = Lit(LIGHT, TABLES), Lit(other, TABLES)
    assert np.array_equal(lit.to_float(), np.where(meant(1), over.to_float(), plain.to_float()))
    for dtype in (np.uint8, np.uint16):
        pictures = []
        for one in (lit, plain, over):
            picture = np.empty((HEIGHT, WIDTH, 3), dtype)
            if dtype == np.uint8:
                one.to_8_bit(1, 2, picture)
            else:
                one.to_16_bit(picture)
            pictures.append(picture)
        assert np.array_equal(pictures[0], np.where(meant(1)[..., None], pictures[2], pictures[1]))
