"""Fields of the six ink keys, of their weights in grey, and of toning: the whole picture has them, and every pass."""

from typing import Any, Literal

from zincplate.ops.base import COLOURS, gauge
from zincplate.plan.colour import Six, ToningPlan

_PROPERTIES = {
    "hue": "Hue of {} colours, towards the colours beside them on the circle.",
    "saturation": "Strength of {} colours.",
    "lightness": "Lightness of {} colours; greys do not move.",
}
RANGES = {"shadows": (0, 4), "midtones": (3, 7), "highlights": (6, 10)}
_HUES = {"shadows": 250.0, "midtones": 60.0, "highlights": 80.0}


def _key(colour: str, name: str, label: str, help: str) -> tuple[type[float], Any]:
    more = {"property": name, "colour": colour}
    label = f"{colour.capitalize()}, {label}"
    return float, gauge(label, neutral=0, low=-100, high=100, step=1, kind="key", help=help, more=more)


def key_fields() -> dict[str, Any]:
    """Fields of the six keys: hue, saturation and lightness of each."""
    return {
        f"{colour}_{name}": _key(colour, name, name, words.format(colour))
        for name, words in _PROPERTIES.items()
        for colour in COLOURS
    }


def grey_fields() -> dict[str, Any]:
    """Fields of the weights."""
    words = "How light {} colours become in black and white."
    return {f"{colour}_grey": _key(colour, "grey", "weight in grey", words.format(colour)) for colour in COLOURS}


def toning_fields() -> dict[str, Any]:
    """Fields of the three ranges, hue and strength of each, and of the balance between them."""
    balance = gauge(
        "Toning balance",
        neutral=0,
        low=-100,
        high=100,
        step=1,
        help="Which side reaches further: lower gives the shadows' colour more room, higher the highlights'.",
    )
    found: dict[str, Any] = {}
    for name, wedge in RANGES.items():
        hue = gauge(
            f"Toned {name}, hue",
            neutral=_HUES[name],
            low=0,
            high=360,
            step=1,
            unit="\N{DEGREE SIGN}",
            kind="hue",
            help=f"Colour laid into the {name}; it shows once there is a strength.",
        )
        strength = gauge(
            f"Toned {name}, strength",
            neutral=0,
            low=0,
            high=100,
            step=1,
            wedge=wedge,
            help=f"How strongly the {name} are toned.",
        )
        found[f"toning_{name}_hue"] = (float, hue)
        found[f"toning_{name}"] = (float, strength)
    found["toning_balance"] = (float, balance)
    return found


def six(parameters: Any, name: Literal["hue", "saturation", "lightness", "grey"]) -> Six:
    """One property of the six keys, -1..1."""
    a, b, c, d, e, f = (getattr(parameters, f"{colour}_{name}") / 100 for colour in COLOURS)
    return (a, b, c, d, e, f)


def toning_of(parameters: Any) -> ToningPlan | None:
    """What is asked for, or nothing while no strength is above zero."""
    values = {n: (getattr(parameters, f"toning_{n}_hue"), getattr(parameters, f"toning_{n}") / 100) for n in RANGES}
    if not any(strength for _, strength in values.values()):
        return None
    return ToningPlan(values["shadows"], values["midtones"], values["highlights"], parameters.toning_balance / 100)
