"""A workpiece as a document: chosen entries and an ordered list of steps. A recipe is the steps alone."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.load import validation_words
from pruxel.core.binary.yaml_text import parse_yaml, write_yaml


class StepUse(BaseModel):
    """One step of a recipe. A step that is off is kept but passed over."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    step: str
    params: dict[str, Any] = Field(default_factory=dict)
    on: bool = True


class Recipe(BaseModel):
    """Steps saved for other workpieces."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    recipe: Literal[1] = 1
    name: str = ""
    steps: tuple[StepUse, ...] = ()


def load_recipe(text: str, name: str) -> Recipe:
    """Load a recipe from YAML or JSON; raises `InputError`."""
    try:
        return Recipe.model_validate(parse_yaml(text, name))
    except ValidationError as error:
        place, words = validation_words(error)
        raise InputError(
            ErrorCode.MALFORMED, f"the recipe does not hold together: {words}", file=name, field=place
        ) from error


def recipe_text(recipe: Recipe) -> str:
    """A recipe as YAML."""
    return write_yaml(recipe.model_dump(mode="json"))
