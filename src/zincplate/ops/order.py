"""All adjustments in pipeline order. A new one adds its folder and its line here."""

from typing import Any

from zincplate.ops.balance import BALANCE
from zincplate.ops.base import Operation
from zincplate.ops.contrast import CONTRAST
from zincplate.ops.curve import CURVE
from zincplate.ops.exposure import EXPOSURE
from zincplate.ops.points import POINTS
from zincplate.ops.view import VIEW

ORDER: tuple[Operation[Any], ...] = (BALANCE, EXPOSURE, POINTS, CONTRAST, VIEW, CURVE)
