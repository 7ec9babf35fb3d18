"""All adjustments in pipeline order. A new one adds its folder and its line here."""

from typing import Any

from zincplate.ops.balance import BALANCE
from zincplate.ops.base import Operation
from zincplate.ops.black_white import BLACK_WHITE
from zincplate.ops.border import BORDER
from zincplate.ops.clarity import CLARITY
from zincplate.ops.contrast import CONTRAST
from zincplate.ops.corners import CORNERS
from zincplate.ops.crop import CROP
from zincplate.ops.curve import CURVE
from zincplate.ops.exposure import EXPOSURE
from zincplate.ops.grain import GRAIN
from zincplate.ops.haze import HAZE
from zincplate.ops.keys import KEYS
from zincplate.ops.lens import LENS
from zincplate.ops.levels import LEVELS
from zincplate.ops.movements import MOVEMENTS
from zincplate.ops.noise import NOISE
from zincplate.ops.points import POINTS
from zincplate.ops.primaries import PRIMARY_SHIFT
from zincplate.ops.recovery import RECOVERY
from zincplate.ops.regions import REGIONS
from zincplate.ops.sharpen import SHARPEN
from zincplate.ops.toning import TONING
from zincplate.ops.turn import TURN
from zincplate.ops.vibrance import VIBRANCE
from zincplate.ops.view import VIEW
from zincplate.ops.vignette import VIGNETTE

ORDER: tuple[Operation[Any], ...] = (
    RECOVERY,
    NOISE,
    TURN,
    MOVEMENTS,
    CORNERS,
    LENS,
    CROP,
    BALANCE,
    PRIMARY_SHIFT,
    EXPOSURE,
    HAZE,
    REGIONS,
    CLARITY,
    VIGNETTE,
    POINTS,
    CONTRAST,
    VIEW,
    LEVELS,
    CURVE,
    KEYS,
    BLACK_WHITE,
    VIBRANCE,
    TONING,
    SHARPEN,
    GRAIN,
    BORDER,
)
