"""The recipe: the stored adjustments of a version, as one JSON document.

``{"recipe": 1, "versions": {operation: number}, "balance": {...}, "tone": {...}, ..., "off": ["tone"]}``. Full parameters
are written, so that a changed default never alters an old picture. Fields that this version of the program does not know
are kept when the document says it comes from a newer one, and refused otherwise.
"""

from dataclasses import dataclass, field, replace
from typing import Any

from pydantic import ValidationError

from zincplate.formats.errors import Told
from zincplate.ops.base import STEPS, Parameters
from zincplate.ops.order import ORDER

FORMAT = 1


class RecipeError(Told, ValueError):
    """A recipe or a single setting that cannot be used; the message is a sentence for the user."""


def _control_owner() -> dict[tuple[str, str], str]:
    owner: dict[tuple[str, str], str] = {}
    for operation in ORDER:
        for name in operation.parameters.model_fields:
            if (operation.step, name) in owner:
                raise RuntimeError(f"{operation.step}.{name} is defined twice")
            owner[operation.step, name] = operation.id
    return owner


CONTROLS = _control_owner()
"""(step, control) -> operation id."""


def _sentence(error: ValidationError, step: str) -> str:
    first = error.errors()[0]
    name = ".".join(str(part) for part in first["loc"])
    text = first["msg"].removeprefix("Value error, ")
    return f"{step}.{name}: {text[0].lower()}{text[1:]}."


@dataclass(frozen=True)
class Recipe:
    """Immutable. ``parameters`` holds one model per operation; ``off`` the steps that are switched off."""

    parameters: dict[str, Parameters]
    off: frozenset[str] = frozenset()
    unknown: dict[str, Any] = field(default_factory=dict)
    """Parts of a newer document, kept untouched."""

    @staticmethod
    def neutral(raw: bool) -> "Recipe":
        """The recipe of a frame just brought in: camera data are shown like a print with blown highlights rebuilt, rendered files
        stay as they are."""
        recipe = Recipe({o.id: o.neutral() for o in ORDER})
        return recipe.with_values({"tone": {"view": "standard", "highlight_recovery": "rebuild"}}) if raw else recipe

    @staticmethod
    def from_document(document: Any) -> "Recipe":
        """Parse and validate; raises :class:`RecipeError`."""
        if not isinstance(document, dict) or not isinstance(document.get("recipe"), int):
            raise RecipeError('This is not a recipe: it needs to be a JSON object with "recipe": 1.')
        versions = document.get("versions", {})
        if not isinstance(versions, dict):
            raise RecipeError('recipe: "versions" needs to be an object.')
        known = {o.id: o.version for o in ORDER}
        newer = document["recipe"] > FORMAT or any(not isinstance(v, int) or v > known.get(k, 0) for k, v in versions.items())
        unknown: dict[str, Any] = {}
        values: dict[str, dict[str, Any]] = {o.id: {} for o in ORDER}
        for key, section in document.items():
            if key in ("recipe", "versions", "off"):
                continue
            if key not in STEPS or not isinstance(section, dict):
                if not newer:
                    raise RecipeError(f'recipe: there is no step "{key}".')
                unknown[key] = section
                continue
            for name, value in section.items():
                owner = CONTROLS.get((key, name))
                if owner is not None:
                    values[owner][name] = value
                elif newer:
                    unknown.setdefault(key, {})[name] = value
                else:
                    raise RecipeError(f'{key}: there is no control "{name}".')
        parameters: dict[str, Parameters] = {}
        for operation in ORDER:
            try:
                parameters[operation.id] = operation.parameters.model_validate(values[operation.id])
            except ValidationError as error:
                raise RecipeError(_sentence(error, operation.step)) from error
        off = document.get("off", [])
        if not isinstance(off, list) or any(not isinstance(s, str) or (s not in STEPS and not newer) for s in off):
            raise RecipeError('recipe: "off" needs to be a list of step names.')
        return Recipe(parameters, frozenset(off), unknown)

    def to_document(self) -> dict[str, Any]:
        """JSON-ready document with every parameter."""
        document: dict[str, Any] = {"recipe": FORMAT, "versions": {o.id: o.version for o in ORDER}}
        for operation in ORDER:
            values = self.parameters[operation.id].model_dump(mode="json")
            document.setdefault(operation.step, {}).update(values)
        for key, value in self.unknown.items():
            if isinstance(value, dict) and isinstance(document.get(key), dict):
                document[key].update(value)
            else:
                document[key] = value
        document["off"] = sorted(self.off)
        return document

    def with_values(self, changes: dict[str, dict[str, Any]]) -> "Recipe":
        """Copy with some controls changed (step -> control -> value); raises :class:`RecipeError`."""
        grouped: dict[str, dict[str, Any]] = {}
        for step, controls in changes.items():
            for name, value in controls.items():
                owner = CONTROLS.get((step, name))
                if owner is None:
                    known = sorted(n for s, n in CONTROLS if s == step)
                    hint = f"It has {', '.join(known)}." if known else f"The steps are {', '.join(STEPS)}."
                    raise RecipeError(f'There is no control "{step}.{name}". {hint}')
                grouped.setdefault(owner, {})[name] = value
        parameters = dict(self.parameters)
        for operation in ORDER:
            if operation.id in grouped:
                merged = {**self.parameters[operation.id].model_dump(), **grouped[operation.id]}
                try:
                    parameters[operation.id] = operation.parameters.model_validate(merged)
                except ValidationError as error:
                    raise RecipeError(_sentence(error, operation.step)) from error
        return replace(self, parameters=parameters)

    def with_switch(self, step: str, on: bool) -> "Recipe":
        """Copy with a whole step switched on or off."""
        if step not in STEPS:
            raise RecipeError(f'There is no step "{step}". The steps are {", ".join(STEPS)}.')
        return replace(self, off=self.off - {step} if on else self.off | {step})

    def value(self, step: str, name: str) -> Any:
        """One control's value."""
        return getattr(self.parameters[CONTROLS[step, name]], name)

    def framing(self) -> tuple[Any, ...]:
        """Everything that decides which pixels the finished picture has."""
        return ("framing" in self.off, *(self.parameters[o.id] for o in ORDER if o.step == "framing"))

    def effective(self) -> "Recipe":
        """The recipe with switched-off steps at neutral; what belongs to the rendering stays."""
        if not self.off:
            return self
        parameters = {o.id: o.neutral() if o.step in self.off and not o.rendering else self.parameters[o.id] for o in ORDER}
        return replace(self, parameters=parameters, off=frozenset())
