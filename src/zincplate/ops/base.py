"""What an adjustment is: a parameter model with its words and ranges, and a pure function on the light plan.

From the parameter models come validation, the recipe's JSON schema, the TypeScript types, the gauges of the panel, the
command line's ``--set`` and the words of the history.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Generic, Literal, TypeVar, get_args

from pydantic import BaseModel, ConfigDict, Field

from zincplate.plan.light import LightPlan

Step = Literal["framing", "balance", "tone", "colour", "definition", "repair", "passes", "finish"]
COLOURS = ("red", "yellow", "green", "cyan", "blue", "magenta")
"""The six hues of the colour circle."""
STEPS: tuple[Step, ...] = get_args(Step)


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
    scale: Literal["linear", "reciprocal", "log", "middle"] = "linear",
    kind: Literal["gauge", "hue", "key", "angle"] = "gauge",
    raw_only: bool = False,
    more: dict[str, Any] | None = None,
) -> Any:
    """A number shown as a gauge. ``scale`` says how it is ruled (``middle``: finer round zero). ``wedge`` is the range of wedge
    steps (0 dark to 10 light) on which it acts."""
    ui: dict[str, Any] = {
        "kind": kind,
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
        "raw_only": raw_only,
        **(more or {}),
    }
    return Field(default=neutral, ge=low, le=high, allow_inf_nan=False, json_schema_extra={"x-ui": ui})


def choice(label: str, *, neutral: str, options: dict[str, str], help: str, raw_only: bool = False) -> Any:
    """One of a few words."""
    ui: dict[str, Any] = {
        "kind": "choice",
        "label": label,
        "help": help,
        "options": [list(pair) for pair in options.items()],
        "raw_only": raw_only,
    }
    return Field(default=neutral, json_schema_extra={"x-ui": ui})


def switch(label: str, *, help: str, raw_only: bool = False) -> Any:
    """On or off; off is neutral."""
    return Field(
        default=False, json_schema_extra={"x-ui": {"kind": "switch", "label": label, "help": help, "raw_only": raw_only}}
    )


P = TypeVar("P", bound=Parameters)
Upgrade = Callable[[dict[str, Any]], tuple[dict[str, Any], str]]
"""Values of one version of an operation -> those of the next that show the same picture, and an empty sentence; or, where that
cannot be, the values nearest to it and a sentence that says so."""


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
    rendering: bool = False
    """How the file is shown at all rather than an adjustment: stays when its step is switched off."""
    upgrades: tuple[Upgrade, ...] = ()
    """From version 1 to 2, from 2 to 3 and so on: one for every version before the current one."""
    salvage: Upgrade | None = None
    """Takes out of a document's values what is damaged beyond use but can be made again, and says so."""
    retired: frozenset[str] = frozenset()
    """Controls that older versions had and this one has not; only upgrades know them."""

    def __post_init__(self) -> None:
        if len(self.upgrades) != self.version - 1:
            raise RuntimeError(f"{self.id} is of version {self.version} but has {len(self.upgrades)} upgrades")

    def upgrade(self, old_version: int, values: dict[str, Any]) -> tuple[dict[str, Any], tuple[str, ...]]:
        """Values of an older version as today's, and sentences about what does not show as it did."""
        told = []
        for step in (*self.upgrades[old_version - 1 :], *((self.salvage,) if self.salvage else ())):
            values, sentence = step(values)
            told.append(sentence)
        return values, tuple(s for s in told if s)

    def neutral(self) -> P:
        """Parameters that change nothing."""
        return self.parameters()

    def add_to(self, parameters: Parameters, plan: LightPlan) -> LightPlan:
        """:attr:`apply` after a check that the parameters belong to this operation."""
        if not isinstance(parameters, self.parameters):
            raise TypeError(f"{self.id} was given {type(parameters).__name__}")
        return self.apply(parameters, plan)


def ui_of(info: Any) -> dict[str, Any]:
    """Words and range of a control, from the field that declares it."""
    extra = info.json_schema_extra
    found = extra.get("x-ui", {}) if isinstance(extra, dict) else {}
    return found if isinstance(found, dict) else {}
