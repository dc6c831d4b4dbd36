"""The Bench: workpieces, steps, views."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from fastapi import APIRouter
from sqlalchemy import select
from sqlalchemy.orm import Session

import pruxel.core.steps  # noqa: F401 - registers all steps
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.steps.registry import STEPS
from pruxel.server.api.models import StepKindOut, StepModel, StepsIn, ViewContent, ViewOut, WorkpieceIn, WorkpieceOut
from pruxel.server.jobs.queue import put_job, send
from pruxel.server.jobs.stacks import StoredStack, at_source, stored_stack
from pruxel.server.jobs.view import view_key
from pruxel.server.store.blobs import has_blob
from pruxel.server.store.database import session
from pruxel.server.store.missing import not_found
from pruxel.server.store.tables import View, Workpiece

router = APIRouter(tags=["workpieces"])
_DEEPEST_UNDO = 100


def _out(w: Workpiece) -> WorkpieceOut:
    return WorkpieceOut(
        id=w.id,
        name=w.name,
        entries=w.entries,
        steps=[StepModel.model_validate(s) for s in w.steps],
        can_undo=bool(w.past),
        can_redo=bool(w.future),
    )


@router.get("/steps")
def list_steps() -> list[StepKindOut]:
    """Every step there is, with the JSON schema of its parameters."""
    return [
        StepKindOut(name=s.name, title=s.title, about=s.about, parameters=s.params.model_json_schema()) for s in STEPS
    ]


@router.get("/projects/{project}/workpieces")
def list_workpieces(project: UUID) -> list[WorkpieceOut]:
    """All workpieces, newest first."""
    with session() as db:
        rows = db.execute(
            select(Workpiece).where(Workpiece.project_id == project).order_by(Workpiece.created.desc())
        ).scalars()
        return [_out(w) for w in rows]


@router.post("/projects/{project}/workpieces", status_code=201)
def open_workpiece(project: UUID, wanted: WorkpieceIn) -> WorkpieceOut:
    """Put entries on the Bench; the same choice opens the same workpiece again."""
    stack = stored_stack(project)
    entries = wanted.entries if wanted.source is None else [at_source(wanted.source, path) for path in wanted.entries]
    with session() as db:
        return _out(workpiece_of(db, stack, entries))


def workpiece_of(db: Session, stack: StoredStack, entries: list[str]) -> Workpiece:
    """The workpiece of just these entries, made when there is none; raises `InputError` when an entry is not there."""
    missing = next((path for path in entries if stack.row(path) is None), None)
    if missing is not None:
        raise InputError(ErrorCode.NOT_FOUND, "one of these entries is not in the sources", file=missing)
    project = stack.state.project
    wanted = select(Workpiece).where(Workpiece.project_id == project, Workpiece.entries == entries).limit(1)
    known = db.execute(wanted).scalar_one_or_none()
    if known is not None:
        return known
    name = entries[0].rsplit("/", 1)[-1].rsplit(".", 1)[0]
    made = Workpiece(project_id=project, name=name, entries=entries, steps=[], past=[], future=[])
    db.add(made)
    db.flush()
    return made


def _workpiece(db: Any, workpiece: UUID) -> Workpiece:  # noqa: ANN401 - a session
    found: Workpiece | None = db.get(Workpiece, workpiece, with_for_update=True)
    if found is None:
        raise not_found("workpiece")
    return found


@router.get("/workpieces/{workpiece}")
def get_workpiece(workpiece: UUID) -> WorkpieceOut:
    """One workpiece."""
    with session() as db:
        return _out(_workpiece(db, workpiece))


@router.put("/workpieces/{workpiece}/steps")
def set_steps(workpiece: UUID, wanted: StepsIn) -> WorkpieceOut:
    """Replace the list of steps; the old list can be had back by undo. Parameters are checked first."""
    for use in wanted.steps:
        STEPS.get(use.step).parse(use.params)
    with session() as db:
        found = _workpiece(db, workpiece)
        found.past = [*found.past, found.steps][-_DEEPEST_UNDO:]
        found.steps, found.future = [s.model_dump() for s in wanted.steps], []
        db.flush()
        return _out(found)


@router.post("/workpieces/{workpiece}/undo")
def undo(workpiece: UUID) -> WorkpieceOut:
    """The steps as they were before the last change."""
    with session() as db:
        found = _workpiece(db, workpiece)
        if found.past:
            found.future = [*found.future, found.steps]
            found.steps, found.past = found.past[-1], found.past[:-1]
        return _out(found)


@router.post("/workpieces/{workpiece}/redo")
def redo(workpiece: UUID) -> WorkpieceOut:
    """The steps as they were before the last undo."""
    with session() as db:
        found = _workpiece(db, workpiece)
        if found.future:
            found.past = [*found.past, found.steps]
            found.steps, found.future = found.future[-1], found.future[:-1]
        return _out(found)


@router.get("/workpieces/{workpiece}/view")
def get_view(workpiece: UUID) -> ViewOut:
    """What the workpiece comes out as; starts the job that finds out when nobody has yet."""
    with session() as db:
        found = _workpiece(db, workpiece)
        key = view_key(found)
        stored = db.get(View, key)
        if stored is not None and not has_blob(stored.content["scene"]):
            stored = None
        if (
            stored is not None
            and stored.content["findings"] is not None
            and len(stored.content["pictures"]) > len(found.steps)
        ):
            return ViewOut(key=key, content=ViewContent.model_validate(stored.content), job=None)
        payload = {"key": key, "workpiece": str(found.id), "entries": found.entries, "steps": found.steps}
        job = put_job(db, found.project_id, "view", f"Opening {found.name}", payload)
        content = None if stored is None else ViewContent.model_validate(stored.content)
        fresh = job.attempts == 0 and job.heartbeat is None and job.status == "queued"
    if fresh:
        send(job)
    return ViewOut(key=key, content=content, job=job.id)
