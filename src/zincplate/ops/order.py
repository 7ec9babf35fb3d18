"""All adjustments in pipeline order. A new one adds its folder and its line here."""

from typing import Any

from zincplate.ops.balance.balance import BALANCE
from zincplate.ops.base import Operation
from zincplate.ops.colour.black_white import BLACK_WHITE
from zincplate.ops.colour.keys import KEYS
from zincplate.ops.colour.primaries import PRIMARY_SHIFT
from zincplate.ops.colour.toning import TONING
from zincplate.ops.colour.vibrance import VIBRANCE
from zincplate.ops.definition.clarity import CLARITY
from zincplate.ops.definition.haze import HAZE
from zincplate.ops.definition.noise import NOISE
from zincplate.ops.definition.sharpen import SHARPEN
from zincplate.ops.finish.border import BORDER
from zincplate.ops.finish.grain import GRAIN
from zincplate.ops.finish.vignette import VIGNETTE
from zincplate.ops.framing.corners import CORNERS
from zincplate.ops.framing.crop import CROP
from zincplate.ops.framing.lens import LENS
from zincplate.ops.framing.movements import MOVEMENTS
from zincplate.ops.framing.turn import TURN
from zincplate.ops.passes.passes import PASSES
from zincplate.ops.repair.repairs import REPAIRS
from zincplate.ops.tone.contrast import CONTRAST
from zincplate.ops.tone.curve import CURVE
from zincplate.ops.tone.exposure import EXPOSURE
from zincplate.ops.tone.levels import LEVELS
from zincplate.ops.tone.points import POINTS
from zincplate.ops.tone.recovery import RECOVERY
from zincplate.ops.tone.regions import REGIONS
from zincplate.ops.tone.view import VIEW

ORDER: tuple[Operation[Any], ...] = (
    REPAIRS,
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
    PASSES,
    SHARPEN,
    GRAIN,
    BORDER,
)
