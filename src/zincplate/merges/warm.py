"""Compiles what merging needs and developing does not, on tiny data."""

import numpy as np

from zincplate.core.kernels.half_floats import predicted_halves
from zincplate.core.merging.correlation import correlated
from zincplate.core.merging.covered import largest_covered
from zincplate.core.merging.focus_mix import mixed_in, share_of
from zincplate.core.merging.placement import Placement
from zincplate.core.merging.radiance import add_up
from zincplate.core.merging.rectangling import rectangled
from zincplate.core.merging.seams import chosen
from zincplate.core.merging.similarity import Smoothed, similarity
from zincplate.core.merging.stacking import CLIPPED, combined
from zincplate.core.noise.wavelet_noise import StabilisedNoise, reduce_noise
from zincplate.core.sensor.trust import trust_of_codes


def warm_merges() -> None:
    """Every kernel once, with the types that it is used with."""
    predicted_halves(np.ones((3, 8, 8), np.float32), np.empty((1, 16, 96), np.uint8))
    placement = Placement(np.eye(3), 8, 8)
    placement.reduced(1, (0.0, 0.0), (8, 8))
    values, trust = np.ones((2, 3, 8, 8), np.float32), np.ones((2, 8, 8), np.float32)
    one, out = np.ones((2, 3), np.float32), np.empty((3, 8, 8), np.float32)
    order, clipped = np.arange(2, dtype=np.int64), np.empty((8, 8), np.uint8)
    placement.carry_trust(0, 0, trust[0], 0, 0, trust[1])
    placement.mark_beyond(0, 0, (8, 8), trust[1])
    trust_of_codes(np.ones((16, 16), np.uint16), 4, 4, np.float32(0), np.float32(1), trust[0])
    add_up(values, trust, one[:, 0].copy(), one, one, order, np.ones(3, np.float32), out, np.empty((8, 8), np.float32), clipped)
    noise = StabilisedNoise(1e-3, (0.01, 0.01, 0.01), True)
    reduce_noise(np.ones((3, 32, 32), np.float32), noise, 1.0, 1.0, np.ones((32, 32), np.float32))
    combined(values, trust, one[:, 0].copy(), one, one, CLIPPED, 3.0)
    light = np.random.default_rng(1).random((2, 24, 32), np.float32)
    share, total = np.empty((8, 8), np.float32), np.zeros((8, 8), np.float32)
    share_of(trust[0], 0, 2, share)
    mixed_in(values[0], one[0, 0:1].repeat(3), share, trust[0], 0, out, total)
    correlated(light[0], light[1], np.eye(3), 2, 1e-6, np.full((24, 32), 255, np.uint8))
    similarity(Smoothed.of(light[0], 2.0), Smoothed.of(light[1], 2.0), np.ones((24, 32), bool), np.eye(3), 3, 1.0)
    chosen(light, np.ones((2, 24, 32), bool), np.zeros((2, 24, 32), np.float32))
    covered = np.ones((48, 64), bool)
    covered[:4] = False
    largest_covered(covered)
    rectangled(np.tile(light[0], (2, 2)), covered, 128, 96, 1.0)
