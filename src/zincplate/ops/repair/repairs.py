"""Repairs: each has a place, and what goes there. They work on linear light of the frame itself, before everything else, in their
order; so no other adjustment moves or undoes them.

Places are in frame coordinates (long edges of the upright, unturned, uncorrected picture).
"""

from dataclasses import replace
from functools import lru_cache
from typing import Annotated, Any, Literal, Self

from pydantic import AfterValidator, Field, model_validator

from zincplate.core.repair.fill_map import fills_from_text
from zincplate.ops.areas import Percent, Stroke
from zincplate.ops.base import Operation, Parameters
from zincplate.ops.drawn_places import Number, places_of, unless_checked
from zincplate.ops.items import WITH_IDS, Item
from zincplate.ops.plate_values import PlateColour
from zincplate.plan.light import LightPlan
from zincplate.plan.repairs import RepairPlan

MOST_REPAIRS = 600
Outline = Annotated[tuple[Number, ...], Field(max_length=4_000), unless_checked(0, 4_000)]
Away = Annotated[float, Field(ge=-3, le=3, allow_inf_nan=False)]


@lru_cache(maxsize=64)
def _readable(text: str) -> str:
    """The text itself; kept, since every view of a version reads its recipe anew."""
    if text:
        fills_from_text(text)
    return text


class Repair(Item):
    """One repair. ``dx`` and ``dy`` lead from a place to where it is taken from, in long edges; a removal has a ``fill``
    instead, a cover a ``colour`` in linear values of the frame."""

    kind: Literal["spot", "clone", "heal", "patch", "removal", "cover"]
    on: bool = True
    strength: Percent = 100
    strokes: Annotated[tuple[Stroke, ...], WITH_IDS, Field(max_length=400)] = ()
    outline: Outline = ()
    source_outline: Outline = ()
    soften_px: Annotated[float, Field(ge=0, le=400, allow_inf_nan=False)] = 4
    dx: Away = 0
    dy: Away = 0
    angle: Annotated[float, Field(ge=-180, le=180, allow_inf_nan=False)] = 0
    mirrored: bool = False
    candidate: Annotated[int, Field(ge=0, le=99)] = 0
    fill: Annotated[str, Field(max_length=1_000_000), AfterValidator(_readable)] = ""
    seed: Annotated[int, Field(ge=0, le=9_999)] = 0
    reach: Annotated[float, Field(ge=25, le=400, allow_inf_nan=False)] = 100
    colour: PlateColour = (0, 0, 0)
    grain: bool = True

    @model_validator(mode="after")
    def _placed(self) -> Self:
        if self.kind == "patch":
            if len(self.outline) < 6:
                raise ValueError("a patch needs an outline of three points at least")
        elif self.kind == "removal" and self.outline:
            if len(self.outline) < 6:
                raise ValueError("an outline has three points at least")
        elif not self.strokes:
            raise ValueError(f"a {self.kind} needs a stroke")
        if any(s.near_edges or s.tones != "all" for s in self.strokes):
            raise ValueError("strokes of repairs know no tones and no edges")
        return self

    def planned(self) -> RepairPlan:
        """In the engine's units."""
        outline = places_of(self.outline)
        common = RepairPlan(self.kind, tuple(s.planned() for s in self.strokes), strength=self.strength / 100)
        if self.kind == "removal":
            taken = places_of(self.source_outline)
            how = replace(common, outline=outline, source_outline=taken if len(taken) > 2 else ())
            return replace(how, fill=self.fill, seed=self.seed, reach=self.reach / 100)
        away = (self.dx, self.dy)
        if self.kind == "cover":
            return replace(common, away=away, colour=self.colour, grain=self.grain)
        if self.kind == "patch":
            return replace(common, strokes=(), away=away, outline=outline, soften_px=self.soften_px)
        return replace(common, away=away, angle_degrees=self.angle, mirrored=self.mirrored)


class RepairParameters(Parameters):
    """Done in this order; a later one takes from what the earlier ones left."""

    repairs: Annotated[tuple[Repair, ...], WITH_IDS, Field(max_length=MOST_REPAIRS)] = Field(
        default=(), json_schema_extra={"x-ui": {"kind": "repairs", "label": "Repairs", "help": "What is mended."}}
    )


def apply(parameters: RepairParameters, plan: LightPlan) -> LightPlan:
    """Puts every repair that acts into the plan."""
    acting = tuple(r.planned() for r in parameters.repairs if r.on and r.strength > 0)
    return replace(plan, repairs=acting) if acting else plan


def _other_subjects(values: dict[str, Any]) -> tuple[dict[str, Any], str]:
    """From version 1, whose removals smeared the light of another subject into theirs where a fill did not go on."""
    filled = any(isinstance(r, dict) and r.get("fill") for r in _listed(values))
    return values, "Removals no longer take on the light of another subject beside them." if filled else ""


def _damaged_fills(values: dict[str, Any]) -> tuple[dict[str, Any], str]:
    """Without fills that cannot be read: they are looked for again."""
    numbers, kept = [], []
    for number, one in enumerate(_listed(values), 1):
        try:
            if isinstance(one, dict) and isinstance(one.get("fill"), str):
                _readable(one["fill"])
        except ValueError:
            numbers.append(str(number))
            one = {**one, "fill": ""}
        kept.append(one)
    if not numbers:
        return values, ""
    return {**values, "repairs": kept}, f"The fill of repair {', '.join(numbers)} was damaged and is looked for again."


def _listed(values: dict[str, Any]) -> list[Any]:
    found = values.get("repairs", [])
    return list(found) if isinstance(found, (list, tuple)) else []


REPAIRS = Operation(
    "repairs", "repair", "Repairs", 2, RepairParameters, apply, upgrades=(_other_subjects,), salvage=_damaged_fills
)
