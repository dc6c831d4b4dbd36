"""Recipes: lists of steps saved for other workpieces."""

from __future__ import annotations

from uuid import UUID

from fastapi import APIRouter, Response
from sqlalchemy import select
from sqlalchemy.orm import Session

from pruxel.core.formats.textures import link_name
from pruxel.core.recipe.document import Recipe, StepUse, load_recipe, recipe_text
from pruxel.core.recipe.rules import check_rule
from pruxel.server.api.limits import gives
from pruxel.server.api.models import ApplyIn, NameIn, RecipeFileIn, RecipeIn, RecipeOut, StepModel
from pruxel.server.store.database import reading, session
from pruxel.server.store.jobs import tell
from pruxel.server.store.missing import not_found
from pruxel.server.store.named import name_apart
from pruxel.server.store.revisions import add_revision, steps_of
from pruxel.server.store.tables import RecipeRow, Workpiece

router = APIRouter(tags=["recipes"])


def _out(row: RecipeRow) -> RecipeOut:
    return RecipeOut(id=row.id, name=row.name, steps=[StepModel.model_validate(s) for s in row.steps])


def _recipe(db: Session, recipe: UUID) -> RecipeRow:
    found = db.get(RecipeRow, recipe)
    if found is None:
        raise not_found("recipe")
    return found


def _names(db: Session, project: UUID, *, but: UUID | None = None) -> set[str]:
    names = select(RecipeRow.name).where(RecipeRow.project_id == project, RecipeRow.id.is_distinct_from(but))
    return set(db.execute(names).scalars())


@router.get("/projects/{project}/recipes")
def list_recipes(project: UUID) -> list[RecipeOut]:
    """All recipes by name."""
    with reading() as db:
        rows = select(RecipeRow).where(RecipeRow.project_id == project).order_by(RecipeRow.name)
        return [_out(row) for row in db.execute(rows).scalars()]


@router.post("/projects/{project}/recipes", status_code=201)
def save_recipe(project: UUID, wanted: RecipeIn) -> RecipeOut:
    """Save a list of steps under a name; one that another recipe has gets a number behind it."""
    for use in wanted.steps:
        check_rule(StepUse.model_validate(use.model_dump()))
    with session() as db:
        name = name_apart(wanted.name, _names(db, project))
        row = RecipeRow(project_id=project, name=name, steps=[s.model_dump() for s in wanted.steps])
        db.add(row)
        db.flush()
        return _out(row)


@router.post("/projects/{project}/recipes/file", status_code=201)
def load_recipe_file(project: UUID, wanted: RecipeFileIn) -> RecipeOut:
    """Take a recipe from the text of a file, whoever made it. Steps and rules are checked first."""
    found = load_recipe(wanted.text, wanted.name)
    for use in found.steps:
        check_rule(use)
    steps = [StepModel.model_validate(use.model_dump()) for use in found.steps]
    name = (found.name or wanted.name.rsplit(".", 1)[0])[:200]
    return save_recipe(project, RecipeIn(name=name or "recipe", steps=steps))


@router.get("/recipes/{recipe}/file", response_class=Response, responses=gives("application/yaml"))
def recipe_file(recipe: UUID) -> Response:
    """A recipe as a file that another installation takes."""
    with reading() as db:
        found = _recipe(db, recipe)
    kept = Recipe(name=found.name, steps=tuple(StepUse.model_validate(s) for s in found.steps))
    headers = {"Content-Disposition": f'attachment; filename="{link_name(found.name)}.yaml"'}
    return Response(recipe_text(kept), media_type="application/yaml", headers=headers)


@router.patch("/recipes/{recipe}")
def rename_recipe(recipe: UUID, wanted: NameIn) -> RecipeOut:
    """Give a recipe another name; one that another recipe has gets a number behind it."""
    with session() as db:
        found = _recipe(db, recipe)
        found.name = name_apart(wanted.name, _names(db, found.project_id, but=found.id))
        return _out(found)


@router.delete("/recipes/{recipe}", status_code=204)
def remove_recipe(recipe: UUID) -> None:
    """Remove a recipe; workpieces keep the steps they have."""
    with session() as db:
        db.delete(_recipe(db, recipe))


@router.post("/recipes/{recipe}/apply", status_code=204)
def apply_recipe(recipe: UUID, wanted: ApplyIn) -> None:
    """Add a recipe's steps behind those of some workpieces; each can be undone by itself."""
    with session() as db:
        found = _recipe(db, recipe)
        rows = (
            db.execute(select(Workpiece).where(Workpiece.id.in_(wanted.workpieces)).with_for_update()).scalars().all()
        )
        for row in rows:
            if row.project_id == found.project_id:
                add_revision(db, row, [*steps_of(db, row), *found.steps])
        tell(db, {"changed": "workpieces", "project_id": str(found.project_id)})
