"""Numbers of controls as text, the same everywhere."""

from typing import Any

ARROW = "\N{RIGHTWARDS ARROW}"
MINUS = "\N{MINUS SIGN}"


def signed(value: float, decimals: int) -> str:
    """A number with its sign; nothing has none."""
    text = f"{abs(value):.{decimals}f}"
    return text if float(text) == 0 else (MINUS if value < 0 else "+") + text


def with_unit(value: float, ui: dict[str, Any]) -> str:
    """A number with its sign, where it may have one, its decimals and its unit, as the panel shows it."""
    decimals = int(ui.get("decimals", 0))
    text = signed(value, decimals) if ui.get("low", 0) < 0 else f"{abs(value):.{decimals}f}"
    return f"{text} {ui['unit']}" if ui.get("unit") else text
