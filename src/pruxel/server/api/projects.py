"""Projects and their sources."""

from __future__ import annotations

from pathlib import Path
from uuid import UUID

from fastapi import APIRouter
from sqlalchemy import delete, select

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.server.api.models import (
    JobOut,
    MountIn,
    PlaceOut,
    PlacesOut,
    ProjectIn,
    ProjectOut,
    SourceOut,
    SourceProblem,
)
from pruxel.server.api.problems import not_found
from pruxel.server.jobs.queue import put_job, send
from pruxel.server.jobs.stacks import check_root
from pruxel.server.settings import settings
from pruxel.server.store.database import session
from pruxel.server.store.entries import merge
from pruxel.server.store.jobs import job_event, tell
from pruxel.server.store.tables import Project, SourceRow

router = APIRouter(tags=["projects"])


@router.get("/projects")
def list_projects() -> list[ProjectOut]:
    """All projects, oldest first."""
    with session() as db:
        rows = db.execute(select(Project).order_by(Project.created)).scalars()
        return [ProjectOut(id=p.id, name=p.name, about=p.about) for p in rows]


@router.post("/projects", status_code=201)
def create_project(wanted: ProjectIn) -> ProjectOut:
    """A new, empty project."""
    with session() as db:
        project = Project(name=wanted.name)
        db.add(project)
        db.flush()
        return ProjectOut(id=project.id, name=project.name, about=project.about)


@router.get("/projects/{project}/sources")
def list_sources(project: UUID) -> list[SourceOut]:
    """The stack, highest first."""
    with session() as db:
        rows = db.execute(
            select(SourceRow).where(SourceRow.project_id == project).order_by(SourceRow.position.desc())
        ).scalars()
        return [
            SourceOut(
                id=s.id,
                mount=s.mount,
                label=s.label,
                kind=s.kind,
                position=s.position,
                entries=s.entries,
                size=s.size,
                problems=[SourceProblem(code=p["code"], line=p["line"]) for p in s.problems],
            )
            for s in rows
        ]


@router.post("/projects/{project}/sources", status_code=202)
def mount_source(project: UUID, wanted: MountIn) -> JobOut:
    """Mount a folder, pack or file; a job lists what it holds."""
    place = check_root(Path(wanted.path))
    if not place.exists():
        raise InputError(
            ErrorCode.NOT_FOUND,
            "there is no such file or folder",
            file=wanted.path,
            hint="Check the path, or pick it from the list.",
        )
    with session() as db:
        if db.get(Project, project) is None:
            raise not_found("project")
        job = put_job(db, project, "scan", f"Reading {place.name}", {"mount": str(place), "key": str(place)})
    send(job)
    return JobOut.model_validate(job_event(job))


@router.delete("/projects/{project}/sources", status_code=204)
def unmount_source(project: UUID, mount: str) -> None:
    """Take a mounted place out of the project; nothing on disk is touched."""
    with session() as db:
        db.execute(delete(SourceRow).where(SourceRow.project_id == project, SourceRow.mount == mount))
        merge(db, project)
        tell(db, {"changed": "sources", "project_id": str(project)})


@router.get("/places")
def list_places(path: str | None = None) -> PlacesOut:
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
