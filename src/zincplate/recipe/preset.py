"""A preset: some adjustments under a name, as a JSON document of its own that is readable and can be passed on.

``{"preset": 1, "name": "Night, cool", "folder": "", "note": "", "versions": {operation: number}, "values": {step: {control:
value}}}``. It holds whole adjustments, each with all its controls, so that what it does never depends on what stood there before.
"""

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from zincplate.ops.order import ORDER
from zincplate.recipe.document import CONTROLS, Recipe, RecipeError
from zincplate.recipe.relative import AsShot, at_strength
from zincplate.recipe.words import changes_in_words

FORMAT = 1
STRONGEST = 1.5
LONGEST_NAME = 80
_BY_ID = {o.id: o for o in ORDER}

Values = dict[str, dict[str, Any]]


def operations_in(values: Mapping[str, Mapping[str, Any]]) -> tuple[str, ...]:
    """Operations that values belong to, in pipeline order; raises :class:`RecipeError` for an unknown control."""
    owners = set()
    for step, controls in values.items():
        for name in controls:
            owner = CONTROLS.get((step, name))
            if owner is None:
                raise RecipeError(f'There is no control "{step}.{name}".')
            owners.add(owner)
    return tuple(o.id for o in ORDER if o.id in owners)


def values_of(recipe: Recipe, operations: Iterable[str]) -> Values:
    """All controls of some operations as a recipe has them; raises :class:`RecipeError` for an unknown operation."""
    values: Values = {}
    wanted = set(operations)
    for unknown in wanted - _BY_ID.keys():
        raise RecipeError(f'There is no adjustment "{unknown}". There are {", ".join(o.id for o in ORDER)}.')
    for operation in ORDER:
        if operation.id in wanted:
            values.setdefault(operation.step, {}).update(recipe.parameters[operation.id].model_dump(mode="json"))
    return values


def touched(recipe: Recipe, raw: bool) -> tuple[str, ...]:
    """Operations that a recipe has set otherwise than a frame comes in."""
    neutral = Recipe.neutral(raw)
    return tuple(o.id for o in ORDER if recipe.parameters[o.id] != neutral.parameters[o.id])


@dataclass(frozen=True)
class Preset:
    """Immutable; ``values`` hold whole operations in today's form."""

    name: str
    values: Values
    folder: str = ""
    note: str = ""
    """What it is for, in a sentence."""
    own: bool = field(default=False, compare=False)
    """Ships with the application and cannot be changed."""

    def __post_init__(self) -> None:
        for what, text in (("name", self.name), ("folder", self.folder)):
            if len(text) > LONGEST_NAME or any(c in text for c in "/\\\x00\n\r") or text.startswith("."):
                raise RecipeError(f"A preset's {what} has at most {LONGEST_NAME} characters, no / and no dot in front.")
        if not self.name.strip():
            raise RecipeError("A preset needs a name.")
        if not self.values:
            raise RecipeError("A preset needs at least one adjustment.")

    @staticmethod
    def of(name: str, recipe: Recipe, operations: Iterable[str], folder: str = "", note: str = "") -> "Preset":
        """Some operations of a recipe."""
        return Preset(name.strip(), values_of(recipe, operations), folder.strip(), note.strip())

    @staticmethod
    def from_document(document: Any) -> "Preset":
        """Parse, bring to today's form and validate; raises :class:`RecipeError`. Controls that are missing stand at neutral."""
        if not isinstance(document, dict) or document.get("preset") is None:
            raise RecipeError('This is not a preset: it needs to be a JSON object with "preset": 1.')
        if document["preset"] != FORMAT:
            raise RecipeError("This preset was written by a newer version of Zincplate.")
        values, versions = document.get("values"), document.get("versions", {})
        texts = [document.get(key, "") for key in ("name", "folder", "note")]
        if not isinstance(values, dict) or not all(isinstance(t, str) for t in texts) or not isinstance(versions, dict):
            raise RecipeError('preset: "name" needs to be a text, "values" an object of steps.')
        known = {o.id: o.version for o in ORDER}
        for name, number in versions.items():
            if not isinstance(number, int) or number > known.get(name, 0):
                raise RecipeError(f'preset: "{name}" was written by a newer version of Zincplate.')
        # an adjustment is in it by its number; without numbers (written by hand) by its controls
        recipe = Recipe.from_document({"recipe": 1, "versions": versions, **values})
        operations = tuple(versions) or operations_in(values)
        return Preset(texts[0].strip(), values_of(recipe, operations), texts[1].strip(), texts[2].strip()[:300])

    @staticmethod
    def from_json(text: str | bytes) -> "Preset":
        """The same from a file's content."""
        try:
            document = json.loads(text)
        except (json.JSONDecodeError, UnicodeDecodeError) as error:
            raise RecipeError(f"This is not JSON: {error}.") from error
        return Preset.from_document(document)

    @property
    def operations(self) -> tuple[str, ...]:
        """What it sets, in pipeline order."""
        return operations_in(self.values)

    def to_document(self) -> dict[str, Any]:
        """JSON-ready."""
        return {
            "preset": FORMAT,
            "name": self.name,
            "folder": self.folder,
            "note": self.note,
            "versions": {name: _BY_ID[name].version for name in self.operations},
            "values": self.values,
        }

    def to_json(self) -> str:
        """A readable file."""
        return json.dumps(self.to_document(), indent=1, ensure_ascii=False) + "\n"

    def at(self, strength: float, as_shot: AsShot = None) -> Values:
        """Values at a strength of 0 to 1.5; raises :class:`RecipeError` beyond."""
        if not 0 <= strength <= STRONGEST:
            raise RecipeError(f"A preset's strength runs from 0 to {STRONGEST:.0%}.")
        values = self.values if strength == 1 else at_strength(self.values, strength, as_shot)
        # rounding and rules between controls are the operations' own
        return values_of(Recipe.neutral(False).with_values(values), self.operations)

    def changes(self, recipe: Recipe, strength: float = 1.0, as_shot: AsShot = None) -> list[str]:
        """What it would change about a recipe, in words."""
        return changes_in_words(recipe, recipe.with_values(self.at(strength, as_shot)))

    def renamed(self, name: str, folder: str) -> "Preset":
        """The same under another name."""
        return replace(self, name=name.strip(), folder=folder.strip(), own=False)


def _own(name: str, note: str, values: Values, folder: str = "Starts") -> Preset:
    operations = operations_in(values)
    return Preset(name, values_of(Recipe.neutral(True).with_values(values), operations), folder, note, own=True)


MASTERS = "Starts for masters"


OWN: tuple[Preset, ...] = (
    _own(
        "Flat copy work",
        "Drawings, documents and tiles as they are: linear rendering, a steeper middle, edges sharpened.",
        {
            "tone": {"view": "linear", "highlight_recovery": "clip", "contrast": 12.0, "black_point": -6.0},
            "definition": {"sharpen_amount": 60.0, "sharpen_radius_px": 0.8, "sharpen_edges": 30.0},
        },
    ),
    _own(
        "Night, cool",
        "Lamps and sky after dark: cooler than the lamps, shadows kept dark, noise calmed.",
        {
            "balance": {"temperature_kelvin": 3800.0, "tint": 4.0},
            "tone": {"contrast": 10.0, "black_point": -8.0, "highlights": -25.0},
            "definition": {"luminance_noise": 25.0, "colour_noise": 45.0, "hot_pixels": True},
            "colour": {"vibrance": 12.0},
        },
    ),
    _own(
        "Portrait, soft",
        "A face in quiet light: soft rendering, open shadows, skin not forced.",
        {
            "tone": {"view": "soft", "shadows": 14.0, "highlights": -12.0},
            "definition": {"clarity": -12.0, "sharpen_amount": 45.0, "sharpen_edges": 60.0},
            "colour": {"vibrance": 8.0, "saturation": -4.0},
        },
    ),
    _own(
        "Dim room, by hand",
        "High sensitivity without a stand: noise down, detail kept, shadows opened a little.",
        {
            "tone": {"shadows": 18.0},
            "definition": {"luminance_noise": 40.0, "colour_noise": 60.0, "hot_pixels": True, "sharpen_amount": 40.0,
                           "sharpen_edges": 50.0},
        },
    ),
    _own(
        "Grey, plain",
        "Black and white with the weights of the eye, a little more contrast, no toning.",
        {"colour": {"black_and_white": True}, "tone": {"contrast": 14.0}},
    ),
    _own(
        "Range, natural",
        "Bright places brought in, shadows opened as the eye would have seen them.",
        {"tone": {"highlights": -80.0, "shadows": 45.0, "contrast": 6.0}, "colour": {"vibrance": 6.0}},
        MASTERS,
    ),
    _own(
        "Range, deep",
        "The light as it fell: windows drawn, shadows left dark.",
        {"tone": {"exposure_ev": -0.4, "highlights": -60.0, "shadows": 10.0, "contrast": 14.0}},
        MASTERS,
    ),
    _own(
        "Range, even",
        "For rooms that are shown: everything to be seen, little contrast between inside and outside.",
        {"tone": {"highlights": -100.0, "shadows": 75.0, "contrast": -4.0}, "definition": {"clarity": 12.0}},
        MASTERS,
    ),
)  # fmt: skip
"""Starting points that ship with the application."""
