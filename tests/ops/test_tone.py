"""What the tone controls do, and where they leave the picture alone."""

import numpy as np
import pytest

from zincplate.core.colour.temperature import temperature_and_tint
from zincplate.ops.balance.balance import BALANCE, BalanceParameters
from zincplate.ops.definition.noise import NOISE, NoiseParameters
from zincplate.ops.tone import contrast, points, view
from zincplate.ops.tone.curve import CURVE, CurveParameters
from zincplate.ops.tone.exposure import EXPOSURE, ExposureParameters
from zincplate.plan.light import LightPlan

X = np.geomspace(1e-4, 8, 4000)


@pytest.mark.parametrize("amount", [-1.0, -0.4, 0.3, 1.0])
def test_every_tone_function_keeps_the_order_of_tones(amount: float) -> None:
    for function in (points.black, points.white, contrast.contrast_about_grey):
        y = function(X, amount)
        assert (np.diff(y) >= 0).all() and (y >= 0).all() and np.isfinite(y).all()


@pytest.mark.parametrize("amount", [-1.0, 0.6])
def test_each_end_leaves_the_middle_alone(amount: float) -> None:
    grey = np.array([0.18])
    assert points.black(grey, amount) == pytest.approx(0.18, abs=0.0015)
    assert points.white(grey, amount) == pytest.approx(0.18)
    assert contrast.contrast_about_grey(grey, amount) == pytest.approx(0.18)
    below = X[X < 0.18]
    assert points.white(below, amount) == pytest.approx(below)
    above = X[X > 0.6]
    assert np.abs(points.black(above, amount) / above - 1).max() < 1e-5


def test_higher_is_lighter_everywhere() -> None:
    for function in (points.black, points.white):
        assert (function(X, 0.5) >= X - 1e-12).all() and (function(X, -0.5) <= X + 1e-12).all()
    lifted = contrast.contrast_about_grey(X, 0.5)
    assert (lifted[X > 0.19] > X[X > 0.19]).all() and (lifted[X < 0.17] < X[X < 0.17]).all()


def test_white_moves_by_up_to_a_stop_per_hundred() -> None:
    assert points.white(np.array([4.0]), 1.0) == pytest.approx(8.0)
    assert points.white(np.array([4.0]), -1.0) == pytest.approx(2.0)


def test_the_standard_view_keeps_grey_and_ends_in_white() -> None:
    assert view.sigmoid(np.array([0.18])) == pytest.approx(0.18)
    assert view.sigmoid(np.array([view.WHITE, 5.0])) == pytest.approx(1.0)
    y = view.sigmoid(X)
    assert (np.diff(y) >= 0).all() and view.sigmoid(np.array([0.0])) == 0
    slope = np.gradient(np.log(y), np.log(X))
    assert 1.1 < np.interp(0.18, X, slope) < 1.6  # a print's contrast is above one at grey
    assert np.interp(1.5, X, slope) < 0.6  # and falls off in the shoulder


def test_exposure_and_balance_on_the_plan() -> None:
    plan = LightPlan(raw=True, as_shot_xy=(0.34, 0.35), white_xy=(0.34, 0.35))
    assert EXPOSURE.apply(ExposureParameters(exposure_ev=-2), plan).gain == 0.25
    warmer = BALANCE.apply(BalanceParameters(temperature_kelvin=8000), plan)
    assert warmer.white_xy[0] < 0.31
    only_tint = BALANCE.apply(BalanceParameters(tint=30), plan)
    assert only_tint.white_xy != plan.white_xy
    # a tint of zero is a tint: the light is on the locus, which the camera's is not
    on_locus = BALANCE.apply(BalanceParameters(tint=0), plan)
    assert abs(temperature_and_tint(on_locus.white_xy)[1]) < 0.1 < abs(temperature_and_tint(plan.as_shot_xy)[1])
    assert BALANCE.apply(BalanceParameters(), warmer).white_xy == plan.as_shot_xy
    with pytest.raises(TypeError, match="exposure"):
        EXPOSURE.add_to(BalanceParameters(), plan)


def test_a_finished_picture_has_no_hot_sites_to_look_for() -> None:
    hot = NoiseParameters(hot_pixels=True)
    assert NOISE.apply(hot, LightPlan(raw=True)).plate.hot_pixels
    assert not NOISE.apply(hot, LightPlan(raw=False)).plate.hot_pixels


def test_curves_enter_the_plan_only_when_they_bend() -> None:
    plan = LightPlan(raw=False)
    assert CURVE.apply(CurveParameters(), plan) == plan
    bent = CURVE.apply(CurveParameters(curve_red=((0, 0), (0.5, 0.6), (1, 1))), plan)
    assert bent.curve_red == ((0, 0), (0.5, 0.6), (1, 1)) and bent.curve_rgb is None


@pytest.mark.parametrize("points_", [((0, 0),), ((0, 0), (0, 1)), ((0.5, 0), (0.2, 1)), ((0, 0), (1, 1.2)), "line"])
def test_curves_that_are_none_are_refused(points_: object) -> None:
    with pytest.raises(ValueError, match=r"curve_rgb"):
        CurveParameters.model_validate({"curve_rgb": points_})
