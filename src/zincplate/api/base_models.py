"""What all bodies, paths and answers of the API are made from."""

from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field

RecipeDocument = Annotated[dict[str, Any], Field(json_schema_extra={"format": "recipe"})]
"""A whole recipe as JSON; the OpenAPI document describes it by the schema of the recipe."""


class In(BaseModel):
    """Base of what is sent to us: unknown fields are refused."""

    model_config = ConfigDict(extra="forbid")


class Id(BaseModel):
    """Number in a path."""

    id: int = Field(ge=1)


class ErrorOut(BaseModel):
    """Every error: a sentence, and per-field sentences where input was invalid."""

    error: str
    fields: dict[str, str] = {}
    current: dict[str, Any] | None = None


RequestKey = Annotated[str, Field(max_length=40, pattern=r"^[A-Za-z0-9-]*$")]
"""Made up by whoever asks; the same key again starts nothing but answers with what it had started."""
