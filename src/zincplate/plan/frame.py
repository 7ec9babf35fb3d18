"""What is asked for of places: lens, movements, crop."""

from dataclasses import dataclass, field

from zincplate.core.geometry.radial import ByHand

NO_CORNERS = (0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0)


@dataclass(frozen=True)
class LensPlan:
    """Correction of what the lens did."""

    profile: str = ""
    """Empty: none; ``auto``: the one that fits camera and lens; else the name of one."""
    own: bool = True
    """Whether the file's own description of its lens is used where no other profile is named."""
    distortion: float = 1.0
    """Share of the profile's correction that is applied, for distortion, lateral colour and fall-off."""
    lateral: float = 1.0
    fall_off: float = 1.0
    by_hand: ByHand = field(default_factory=ByHand)


@dataclass(frozen=True)
class CropPlan:
    """Where the finished picture lies: middle in frame coordinates, size on the corrected plane, both in long edges."""

    middle: tuple[float, float] | None = None
    """None: the largest that fits."""
    width: float = 0.0
    height: float = 0.0
    ratio: float | None = None
    """Width to height of a crop that was not drawn; None is the picture's own."""
    keep_inside: bool = True
    mirrored: bool = False
    """Beyond the picture: its mirror image or its edge drawn out."""
    stretched: bool = False
    """The picture's border is drawn out to the crop."""


@dataclass(frozen=True)
class FramePlan:
    """The frame stage: everything that moves pixels. Angles in degrees."""

    quarter_turns: int = 0
    """Clockwise, 0..3."""
    mirror: bool = False
    roll_degrees: float = 0.0
    tilt_degrees: float = 0.0
    swing_degrees: float = 0.0
    rise: float = 0.0
    """Of the long edge, up; ``shift`` to the right."""
    shift: float = 0.0
    stretch: float = 0.0
    """Binary logarithm of height against width."""
    corners: tuple[float, ...] = NO_CORNERS
    """x and y by which the corners are pulled, from the upper left clockwise, of the long edge."""
    lens: LensPlan = field(default_factory=LensPlan)
    crop: CropPlan = field(default_factory=CropPlan)

    def moved_by(self, long_edge_px: int) -> tuple[float, float]:
        """How rise and shift move the finished picture over the plane: rise shows more of what is above."""
        return self.shift * long_edge_px, -self.rise * long_edge_px
