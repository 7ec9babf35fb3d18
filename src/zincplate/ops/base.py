"""What an adjustment is: a parameter model with its words and ranges, and a pure function on the light plan.

From the parameter models come validation, the recipe's JSON schema, the TypeScript types, the gauges of the panel, the
command line's ``--set`` and the words of the history.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, Generic, Literal, TypeVar

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from zincplate.core.adaptation import D65_XY

Float = NDArray[np.float64]
Step = Literal["framing", "balance", "tone", "colour", "definition", "finish"]
STEPS: tuple[Step, ...] = ("framing", "balance", "tone", "colour", "definition", "finish")


class Parameters(BaseModel):
    """Base of every parameter model: strict about names, immutable, neutral by default."""

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)


def gauge(
    label: str,
    *,
    neutral: float,
    low: float,
    high: float,
    step: float,
    unit: str = "",
    help: str,
    decimals: int = 0,
    wedge: tuple[int, int] | None = None,
    scale: Literal["linear", "reciprocal"] = "linear",
) -> Any:
    """A number shown as a gauge. ``wedge`` is the range of wedge steps (0 dark to 10 light) on which it acts."""
    ui: dict[str, Any] = {
        "kind": "gauge",
        "label": label,
        "unit": unit,
        "help": help,
        "step": step,
        "decimals": decimals,
        "neutral": neutral,
        "wedge": list(wedge) if wedge else None,
        "scale": scale,
        "low": low,
        "high": high,
    }
    return Field(default=neutral, ge=low, le=high, allow_inf_nan=False, json_schema_extra={"x-ui": ui})


@dataclass(frozen=True)
class LightPlan:
    """What the pointwise part of the pipeline is to do; adjustments add to it in order."""

    raw: bool
    """Camera data (True) or a rendered file (False)."""
    as_shot_xy: tuple[float, float] = D65_XY
    white_xy: tuple[float, float] = D65_XY
    """White point of the light that is to look neutral; for rendered files relative to D65."""
    gain: float = 1.0
    """Factor on scene-linear values."""
    tone: tuple[Callable[[Float], Float], ...] = ()
    """Functions on scene-linear values (hue kept), applied in order; the view transform is the last."""
    curve_rgb: tuple[tuple[float, float], ...] | None = None
    curve_red: tuple[tuple[float, float], ...] | None = None
    curve_green: tuple[tuple[float, float], ...] | None = None
    curve_blue: tuple[tuple[float, float], ...] | None = None
    curve_luminance: tuple[tuple[float, float], ...] | None = None

    def with_tone(self, function: Callable[[Float], Float]) -> "LightPlan":
        """The plan with one more tone function at the end."""
        return replace(self, tone=(*self.tone, function))


P = TypeVar("P", bound=Parameters)


@dataclass(frozen=True)
class Operation(Generic[P]):
    """One adjustment. Its parameters stand in the recipe's section ``step`` under their own names."""

    id: str
    step: Step
    label: str
    version: int
    parameters: type[P]
    apply: Callable[[P, LightPlan], LightPlan]
    """Pure: returns the plan with this adjustment added; unchanged when the parameters are neutral."""

    def neutral(self) -> P:
        """Parameters that change nothing."""
        return self.parameters()

    def add_to(self, parameters: Parameters, plan: LightPlan) -> LightPlan:
        """:attr:`apply` after a check that the parameters belong to this operation."""
        if not isinstance(parameters, self.parameters):
            raise TypeError(f"{self.id} was given {type(parameters).__name__}")
        return self.apply(parameters, plan)
