"""The recipes of a project, and those that come and go with its profile."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from pruxel.core.binary.yaml_text import write_yaml
from pruxel.core.recipe.document import Recipe, StepUse, load_recipe
from pruxel.core.recipe.rules import check_rule
from pruxel.server.store.tables import RecipeRow


def checked_recipes(told: Sequence[dict[str, Any]]) -> list[Recipe]:
    """Recipes as a profile has them; raises `InputError` or `UsageError` for one that does not hold together."""
    found = []
    for number, plain in enumerate(told):
        recipe = load_recipe(write_yaml({"recipe": 1} | plain), f"profile, recipe {number + 1}")
        for use in recipe.steps:
            check_rule(use)
        found.append(recipe.model_copy(update={"name": (recipe.name or f"recipe {number + 1}")[:200]}))
    return found


def take_recipes(db: Session, project: uuid.UUID, recipes: Sequence[Recipe]) -> None:
    """Keep those whose name the project has none of; what somebody has changed since stays as it is."""
    known = set(db.execute(select(RecipeRow.name).where(RecipeRow.project_id == project)).scalars())
    for recipe in recipes:
        if recipe.name not in known:
            known.add(recipe.name)
            steps = [use.model_dump(mode="json") for use in recipe.steps]
            db.add(RecipeRow(project_id=project, name=recipe.name, steps=steps))


def told_recipes(db: Session, project: uuid.UUID) -> list[dict[str, Any]]:
    """The project's recipes as a profile has them, by name; what is as usual is left out."""
    rows = db.execute(select(RecipeRow).where(RecipeRow.project_id == project).order_by(RecipeRow.name)).scalars()
    return [
        {
            "name": row.name,
            "steps": [StepUse.model_validate(s).model_dump(mode="json", exclude_defaults=True) for s in row.steps],
        }
        for row in rows
    ]
