"""Noise reduction driven by the sensor's own noise, lightness and colour apart, and hot pixels."""

from dataclasses import replace
from typing import Any, Literal

from zincplate.ops.base import Operation, Parameters, choice, gauge, switch
from zincplate.ops.noise_words import TOLD_APART
from zincplate.plan.light import LightPlan


class NoiseParameters(Parameters):
    """0 to 100; 50 takes what the sensor's noise explains, 100 is twice as strong."""

    luminance_noise: float = gauge(
        "Luminance noise",
        neutral=0,
        low=0,
        high=100,
        step=1,
        help="Calms grain of light and dark; 50 matches the noise measured in this file.",
    )
    colour_noise: float = gauge(
        "Colour noise", neutral=0, low=0, high=100, step=1, help="Calms specks of colour; detail in lightness stays."
    )
    noise_method: Literal["quick", "best"] = choice(
        "Way",
        neutral="quick",
        options={"quick": "Quick", "best": "Best"},
        help="Best uses a small learned denoiser: minutes for a delivery, seconds for what is in sight at 1:1 once it rests.",
    )
    hot_pixels: bool = switch(
        "Hot pixels", help="Finds single sites that stand far out of their neighbourhood and replaces them.", raw_only=True
    )


def apply(parameters: NoiseParameters, plan: LightPlan) -> LightPlan:
    """Sets noise reduction of the plate stage."""
    if parameters == NoiseParameters():
        return plan
    plate = replace(
        plan.plate,
        luminance_noise=parameters.luminance_noise / 100,
        colour_noise=parameters.colour_noise / 100,
        best_noise=parameters.noise_method == "best" and bool(parameters.luminance_noise or parameters.colour_noise),
        hot_pixels=parameters.hot_pixels and plan.raw,
    )
    return replace(plan, plate=plate)


def _below_texture(values: dict[str, Any]) -> tuple[dict[str, Any], str]:
    """To version 2: texture that fills a picture is no longer measured as noise."""
    return values, TOLD_APART if values.get("luminance_noise") or values.get("colour_noise") else ""


NOISE = Operation("noise", "definition", "Noise", 2, NoiseParameters, apply, upgrades=(_below_texture,))
