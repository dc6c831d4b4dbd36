"""A workpiece as a document: chosen entries and an ordered list of steps. A recipe is the steps alone."""

from __future__ import annotations

from typing import Annotated, Any, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.load import validation_words
from pruxel.core.binary.yaml_text import parse_yaml, write_yaml

VERSION = 1
MOST_STEPS = 500
Pattern = Annotated[str, Field(max_length=200)]


class Rule(BaseModel):
    """What a step takes, told by what it is like in place of by its name, so that the step fits other workpieces.

    Patterns are held against the whole name: `*` is any letters, `?` one, and letter case does not matter.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    parts: Pattern = Field("", description="a pattern of the names of parts")
    materials: Pattern = Field("", description="a pattern of the names of materials, or of those that parts wear")
    finding: Annotated[str, Field(max_length=80)] = Field(
        "", description="a rule of findings: the step runs as its findings propose, on what they name"
    )

    @model_validator(mode="after")
    def _says_something(self) -> Self:
        if bool(self.finding) == bool(self.parts or self.materials):
            message = "a rule has patterns, or the name of a finding"
            raise ValueError(message)
        return self


class StepUse(BaseModel):
    """One step of a recipe. A step that is off is kept but passed over.

    `rule` chooses anew in each workpiece what the step takes; `because` is the finding that it once answered.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    step: str
    params: dict[str, Any] = Field(default_factory=dict)
    on: bool = True
    rule: Rule | None = None
    because: Annotated[str, Field(max_length=80)] = ""


class Recipe(BaseModel):
    """Steps saved for other workpieces."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    recipe: Literal[1] = 1
    name: str = ""
    steps: tuple[StepUse, ...] = ()


def load_recipe(text: str, name: str) -> Recipe:
    """Load a recipe from YAML or JSON; raises `InputError`."""
    found = parse_yaml(text, name)
    said = found.get("recipe") if isinstance(found, dict) else None
    if isinstance(said, int) and said > VERSION:
        raise InputError(
            ErrorCode.MALFORMED, "the recipe was written by a newer version", file=name, field="recipe",
            expected=str(VERSION), found=str(said), hint="Use the version that wrote it, or a newer one.",
        )  # fmt: skip
    try:
        recipe = Recipe.model_validate(found)
    except ValidationError as error:
        place, words = validation_words(error)
        raise InputError(
            ErrorCode.MALFORMED, f"the recipe does not hold together: {words}", file=name, field=place
        ) from error
    if not 1 <= len(recipe.steps) <= MOST_STEPS:
        raise InputError(
            ErrorCode.MALFORMED, "a recipe has steps", file=name, field="steps",
            expected=f"1 to {MOST_STEPS}", found=str(len(recipe.steps)),
        )  # fmt: skip
    return recipe


def recipe_text(recipe: Recipe) -> str:
    """A recipe as YAML; what is as usual is left out."""
    steps = [use.model_dump(mode="json", exclude_defaults=True) for use in recipe.steps]
    return write_yaml({"recipe": recipe.recipe, "name": recipe.name, "steps": steps})
