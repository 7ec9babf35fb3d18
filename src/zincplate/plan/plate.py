"""What is asked for on linear camera values, in the sensor's geometry."""

from dataclasses import dataclass
from typing import Literal

Recovery = Literal["clip", "neutral", "rebuild"]


@dataclass(frozen=True)
class PlatePlan:
    """Work on linear camera (or file) values in sensor geometry."""

    recovery: Recovery = "neutral"
    """What becomes of places where the sensor was at its end."""
    luminance_noise: float = 0.0
    """Strength 0..1 of noise reduction on lightness, where 1 takes what is within three standard deviations."""
    colour_noise: float = 0.0
    """The same on colour differences."""
    best_noise: bool = False
    """Deliveries use the slow learned denoiser."""
    hot_pixels: bool = False
    """Replace single sites that stand out of their neighbourhood."""
