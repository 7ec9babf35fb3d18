"""What is asked for of the picture at its delivered size."""

from dataclasses import dataclass


@dataclass(frozen=True)
class FinishPlan:
    """Work on the encoded picture at its delivered size."""

    sharpen_amount: float = 0.0
    """1 adds the whole difference to the blurred picture."""
    sharpen_radius_px: float = 1.0
    sharpen_threshold: float = 0.0
    """Encoded difference (0..1) below which nothing is sharpened."""
    sharpen_edges: float = 0.0
    """0 sharpens everything, 1 only along edges."""
    sharpen_by_passes: bool = False
    """Passes sharpen or soften places of their own."""
    grain_amount: float = 0.0
    """Standard deviation in encoded values at middle grey."""
    grain_size_px: float = 1.5
    """Size at 6,000 pixels along the long edge; it goes with the picture, not with the pixels."""
    border_share: float = 0.0
    """Of the short edge."""
    border_grey: float = 1.0
