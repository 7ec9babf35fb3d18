"""Numbers of controls as text, the same everywhere."""

from typing import Any

ARROW = "\N{RIGHTWARDS ARROW}"
MINUS = "\N{MINUS SIGN}"


def with_unit(value: float, ui: dict[str, Any]) -> str:
    """A number with its sign, where it may have one, its decimals and its unit, as the panel shows it."""
    text = f"{abs(value):.{int(ui.get('decimals', 0))}f}"
    if ui.get("low", 0) < 0 and float(text) != 0:
        text = (MINUS if value < 0 else "+") + text
    return f"{text} {ui['unit']}" if ui.get("unit") else text
