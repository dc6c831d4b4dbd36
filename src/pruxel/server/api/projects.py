"""Projects, and the places that can be mounted."""

from __future__ import annotations

from pathlib import Path
from uuid import UUID

from fastapi import APIRouter
from sqlalchemy import delete, select

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.server.api.limits import PathText
from pruxel.server.api.models import NameIn
from pruxel.server.api.source_models import LanguageIn, PlaceOut, PlacesOut, ProjectIn, ProjectOut
from pruxel.server.jobs.stacks import check_root
from pruxel.server.settings import settings
from pruxel.server.store.database import despite_others, session
from pruxel.server.store.jobs import ask_all_to_stop, tell
from pruxel.server.store.loading import load_alone
from pruxel.server.store.projects import head_of, project_by_id
from pruxel.server.store.stack_state import touch
from pruxel.server.store.tables import EntryRow, Job, Project, Slot

router = APIRouter(tags=["projects"])


def _out(project: Project) -> ProjectOut:
    try:
        profile = head_of(project)
        name, languages = profile.name, profile.languages()
    except InputError:
        name, languages = "", []
    return ProjectOut(
        id=project.id,
        name=project.name,
        about=project.about,
        language=project.language,
        languages=languages,
        profile=name,
    )


@router.get("/projects")
def list_projects() -> list[ProjectOut]:
    """All projects, oldest first."""
    with session() as db:
        return [_out(p) for p in db.execute(select(Project).order_by(Project.created)).scalars()]


@router.post("/projects", status_code=201)
def create_project(wanted: ProjectIn) -> ProjectOut:
    """A new, empty project."""
    with session() as db:
        project = Project(name=wanted.name)
        db.add(project)
        db.flush()
        return _out(project)


@router.patch("/projects/{project}")
def rename_project(project: UUID, wanted: NameIn) -> ProjectOut:
    """Give a project another name."""
    with session() as db:
        found = project_by_id(db, project)
        found.name = wanted.name
        tell(db, {"changed": "projects", "project_id": str(project)})
        return _out(found)


@router.delete("/projects/{project}", status_code=204)
def remove_project(project: UUID) -> None:
    """Remove a project with all that is known of it; game files and what was delivered stay on disk."""
    with session() as db:
        project_by_id(db, project)
        ask_all_to_stop(db, Job.project_id == project)
    # Apart from that: what is at work hears of it, and leaves what it holds, before anything is held here.
    despite_others(lambda: _removed(project))


def _removed(project: UUID) -> None:
    with session() as db:
        load_alone(db, project)
        found = project_by_id(db, project)
        slots = select(Slot.id).where(Slot.project_id == project)
        db.execute(delete(EntryRow).where(EntryRow.slot.in_(slots)))
        tell(db, {"changed": "projects", "project_id": str(project)})
        db.delete(found)


@router.put("/projects/{project}/language")
def choose_language(project: UUID, wanted: LanguageIn) -> ProjectOut:
    """The language whose layers count; where it lacks something, layers without a language stand in."""
    with session() as db:
        found = project_by_id(db, project)
        found.language = wanted.language
        touch(db, project)
        tell(db, {"changed": "sources", "project_id": str(project)})
        db.flush()
        return _out(found)


@router.get("/places")
def list_places(path: PathText | None = None) -> PlacesOut:
    """What can be mounted: the permitted roots, or what lies in a folder below them."""
    if path is None:
        roots = [r.expanduser().resolve() for r in settings().roots]
        return PlacesOut(
            path=None,
            parent=None,
            places=[PlaceOut(name=str(r), path=str(r), folder=True, size=0) for r in roots if r.is_dir()],
        )
    folder = check_root(Path(path))
    try:
        found = sorted(folder.iterdir(), key=lambda p: (not p.is_dir(), p.name.lower()))[:2000]
    except OSError as error:
        raise InputError(ErrorCode.NOT_FOUND, f"the folder cannot be opened ({error.strerror})", file=path) from error
    places = [
        PlaceOut(name=p.name, path=str(p), folder=p.is_dir(), size=0 if p.is_dir() else p.stat().st_size)
        for p in found
        if not p.name.startswith(".") and p.exists()
    ]
    at_root = any(folder == r.expanduser().resolve() for r in settings().roots)
    return PlacesOut(path=str(folder), parent=None if at_root else str(folder.parent), places=places)
