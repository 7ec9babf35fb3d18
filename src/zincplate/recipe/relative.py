"""Values relative to others: a change of one frame carried to another as a change, and values at a strength."""

from collections.abc import Mapping
from typing import Any

from zincplate.ops.base import ui_of
from zincplate.ops.order import ORDER
from zincplate.ops.passes.passes import Controls

Values = Mapping[str, Mapping[str, Any]]
Document = dict[str, Any]
AsShot = tuple[float, float] | None
"""Temperature in kelvin and tint of a frame's own balance, where they are known."""


UI: dict[tuple[str, str], dict[str, Any]] = {
    (o.step, name): ui_of(info) for o in ORDER for name, info in o.parameters.model_fields.items()
}
"""Words and ranges of every control."""
_SCALED = {"gauge", "key", "angle"}
_OF_PASSES = {name: ui_of(info) for name, info in Controls.model_fields.items()}
_SCALED_OF_PASSES = {
    name for name, ui in _OF_PASSES.items() if ui.get("kind") in _SCALED and ui.get("scale") != "log" and "level" not in name
}
"""Controls of a pass that say how much: neither a size, nor a level."""


def _number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)


def _clipped(value: float, ui: dict[str, Any]) -> float:
    value = min(max(value, ui.get("low", value)), ui.get("high", value))
    return round(value, int(ui.get("decimals", 0)) + 2)


def _mired(kelvin: float) -> float:
    return 1e6 / kelvin


def _kelvin_after(start: float, mired: float) -> float:
    return round(1e6 / min(max(_mired(start) + mired, 1e6 / 15_000), 1e6 / 2_000))


def moved(
    values: Values, before: Document, target: Document, as_shot: AsShot, source_as_shot: AsShot = None
) -> dict[str, dict[str, Any]]:
    """``values`` as a change: numbers of ``target`` change by as much as they differ from ``before``; temperatures by as many
    mired. What is no number is set. A temperature is set too where no frame's own balance is known."""
    out: dict[str, dict[str, Any]] = {}
    for step, controls in values.items():
        for name, value in controls.items():
            ui = UI.get((step, name), {})
            was, is_now = before.get(step, {}).get(name), target.get(step, {}).get(name)
            new = value
            if name == "temperature_kelvin" and _number(value):
                was = was if _number(was) else (source_as_shot or as_shot or (None,))[0]
                is_now = is_now if _number(is_now) else (as_shot or (None,))[0]
                if was is not None and is_now is not None:
                    new = _kelvin_after(is_now, _mired(value) - _mired(was))
            elif _number(value) and ui.get("kind") in _SCALED:
                # only the tint has no number while it is as shot
                was = was if _number(was) else (source_as_shot or as_shot or (0.0, 0.0))[1]
                is_now = is_now if _number(is_now) else (as_shot or (0.0, 0.0))[1]
                new = _clipped(is_now + value - was, ui)
            out.setdefault(step, {})[name] = new
    return out


def at_strength(values: Values, strength: float, as_shot: AsShot = None) -> dict[str, dict[str, Any]]:
    """Values at a strength (0 to 1.5): numbers are scaled about neutral, temperatures in mired about the frame's own balance
    where it is known, curves about the straight line; passes get weaker or stronger, those that are whole already by what they
    do. Choices, switches and other lists count at one half and above, else they stand at neutral."""
    out: dict[str, dict[str, Any]] = {}
    neutral: dict[str, dict[str, Any]] = {o.step: {} for o in ORDER}
    for operation in ORDER:
        neutral[operation.step].update(operation.neutral().model_dump(mode="json"))
    for step, controls in values.items():
        for name, value in controls.items():
            ui, rest = UI.get((step, name), {}), neutral.get(step, {}).get(name)
            if name == "temperature_kelvin" and _number(value) and as_shot is not None:
                new: Any = _kelvin_after(as_shot[0], (_mired(value) - _mired(as_shot[0])) * strength)
            elif name == "tint" and step == "balance" and _number(value) and as_shot is not None:
                new = _clipped(as_shot[1] + (value - as_shot[1]) * strength, ui)
            elif ui.get("kind") in _SCALED and _number(value) and _number(rest):
                new = _clipped(rest + (value - rest) * strength, ui)
            elif ui.get("kind") == "passes":
                new = [_pass(one, strength) for one in value] if strength else rest
            elif ui.get("kind") == "curve":
                new = _curve(value, strength)
            else:
                new = value if strength >= 0.5 else rest
            out.setdefault(step, {})[name] = new
    return out


def _pass(one: Mapping[str, Any], strength: float) -> dict[str, Any]:
    """A pass at a strength: its own is scaled up to 100 %, and what goes beyond scales its controls about neutral."""
    whole = one.get("strength", 100.0) * strength
    beyond = max(whole / 100, 1.0)
    neutral = Controls().model_dump(mode="json")
    controls = dict(one.get("controls", {}))
    for name in _SCALED_OF_PASSES & controls.keys():
        rest = neutral[name]
        controls[name] = _clipped(rest + (controls[name] - rest) * beyond, _OF_PASSES[name])
    if "curve" in controls:
        controls["curve"] = _curve(controls["curve"], beyond)
    return {**one, "strength": round(min(whole, 100.0), 2), "controls": controls}


def _curve(points: Any, strength: float) -> list[list[float]]:
    """Points (input, output): inner ones move away from the straight line, the ends away from (0, 0) and (1, 1)."""

    def unit(value: float) -> float:
        return round(min(max(value, 0.0), 1.0), 5)

    (x0, y0), *inner, (x1, y1) = points
    low = [unit(x0 * strength), unit(y0 * strength)]
    high = [unit(1 + (x1 - 1) * strength), unit(1 + (y1 - 1) * strength)]
    kept = [[x, unit(x + (y - x) * strength)] for x, y in inner if low[0] + 1e-3 < x < high[0] - 1e-3]
    return [low, *kept, high] if high[0] - low[0] > 1e-3 else [[0.0, 0.0], [1.0, 1.0]]
