"""The stack: mount, order, switch, read again, verify, unmount; problems in one list."""

from __future__ import annotations

from dataclasses import replace
from urllib.parse import unquote
from uuid import UUID

from fastapi import APIRouter
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.sources.origin import INSIDE, split_address
from pruxel.server.api.limits import PathText
from pruxel.server.api.models import JobOut
from pruxel.server.api.source_models import MountIn, OrderIn, ProblemRow, SourceIn, SourceOut, SourceProblem
from pruxel.server.jobs.queue import put_job, put_read_again
from pruxel.server.jobs.stacks import check_root
from pruxel.server.store.database import session
from pruxel.server.store.entry_faults import faults_of
from pruxel.server.store.jobs import job_details, tell
from pruxel.server.store.missing import not_found
from pruxel.server.store.projects import project_by_id
from pruxel.server.store.stack_state import LEAVING, StackState, stack_state, touch
from pruxel.server.store.tables import Job, Project, Reference, SourceRow

router = APIRouter(tags=["sources"])
_MOST_UNRESOLVED = 500


def state_of(db: Session, project: UUID) -> StackState:
    """The project's stack; raises `InputError` when there is no such project."""
    found = stack_state(db, project)
    if found is None:
        raise not_found("project")
    return found


def _out(row: SourceRow, state: StackState) -> SourceOut:
    return SourceOut(
        id=row.id,
        mount=row.mount,
        label=row.label,
        kind=row.kind,
        position=row.position,
        on=row.on,
        counts=state.counts(row),
        layer=row.layer,
        language=row.language,
        state=row.state,
        entries=row.entries,
        size=row.size,
        named=row.named,
        hashed=row.hashed,
        any_version=bool(row.options.get("any_version")),
        problems=[SourceProblem(code=p["code"], line=p["line"], hint=p.get("hint")) for p in row.problems],
    )


@router.get("/projects/{project}/sources")
def list_sources(project: UUID) -> list[SourceOut]:
    """The stack, highest first."""
    with session() as db:
        state = state_of(db, project)
        return [_out(row, state) for row in reversed(state.sources) if row.state != LEAVING]


def as_typed(path: str) -> str:
    """A path as people paste it: without blanks and quotes around it, a file address as the path it means."""
    bare = path.strip().strip("\"'").strip()
    return unquote(bare.removeprefix("file://")) if bare.startswith("file:///") else bare


@router.post("/projects/{project}/sources", status_code=202)
def mount_source(project: UUID, wanted: MountIn) -> JobOut:
    """Mount a folder, pack or file, or read it again; a job lists what it holds."""
    outer, inner = split_address(as_typed(wanted.path))
    place = check_root(outer)
    if not place.exists():
        raise InputError(
            ErrorCode.NOT_FOUND,
            "there is no such file or folder",
            file=str(outer),
            hint="Check the path, or pick it from the list.",
        )
    address = INSIDE.join([str(place), *inner])
    with session() as db:
        project_by_id(db, project)
        payload = {"mount": address, "key": address, "force": wanted.force}
        job = put_job(db, project, "scan", f"Reading {address.rsplit('/', 1)[-1]}", payload)
    return JobOut.model_validate(job_details(job))


@router.put("/projects/{project}/sources/order")
def order_sources(project: UUID, wanted: OrderIn) -> list[SourceOut]:
    """Put the stack in another order, highest first. Nothing is read again."""
    with session() as db:
        rows = {r.id: r for r in db.execute(select(SourceRow).where(SourceRow.project_id == project)).scalars()}
        staying = {number for number, row in rows.items() if row.state != LEAVING}
        if not staying <= set(wanted.sources) <= set(rows):
            raise InputError(
                ErrorCode.CONFLICT, "the stack has changed meanwhile", hint="Look at the new order and try again."
            )
        for place, number in enumerate(reversed(wanted.sources)):
            rows[number].position = place
        touch(db, project)
        tell(db, {"changed": "sources", "project_id": str(project)})
    return list_sources(project)


def _source(db: Session, source: UUID) -> SourceRow:
    found = db.get(SourceRow, source, with_for_update=True)
    if found is None:
        raise not_found("source")
    return found


@router.patch("/sources/{source}")
def change_source(source: UUID, wanted: SourceIn) -> SourceOut:
    """Switch a source on or off, group it, or let it be read by the nearest version."""
    with session() as db:
        row = _source(db, source)
        if wanted.on is not None:
            row.on = wanted.on
        if wanted.layer is not None:
            row.layer = wanted.layer
        if wanted.any_version is not None:
            row.options = row.options | {"any_version": wanted.any_version}
            put_read_again(db, row)
        touch(db, row.project_id)
        tell(db, {"changed": "sources", "project_id": str(row.project_id)})
        db.flush()
        return _out(row, state_of(db, row.project_id))


@router.post("/sources/{source}/read", status_code=202)
def read_again(source: UUID) -> JobOut:
    """Read one source again."""
    with session() as db:
        job = put_read_again(db, _source(db, source))
    return JobOut.model_validate(job_details(job))


@router.post("/sources/{source}/verify", status_code=202)
def verify_source(source: UUID) -> JobOut:
    """Unpack every entry and compare checksums."""
    with session() as db:
        row = _source(db, source)
        payload = {"source": str(row.id), "key": str(row.id)}
        job = put_job(db, row.project_id, "verify", f"Verifying {row.label}", payload)
    return JobOut.model_validate(job_details(job))


def _leave(db: Session, row: SourceRow) -> Job:
    """Out of the merged view at once; rows are removed in the background. Its place is kept, should it come back."""
    row.state, row.on = LEAVING, False
    project = db.get_one(Project, row.project_id)
    project.places = project.places | {row.address: row.position}
    payload = {"source": str(row.id), "key": str(row.id)}
    return put_job(db, row.project_id, "forget", f"Forgetting {row.label}", payload)


@router.delete("/sources/{source}", status_code=204)
def remove_source(source: UUID) -> None:
    """Take one source out of the project; nothing on disk is touched."""
    with session() as db:
        row = _source(db, source)
        _leave(db, row)
        touch(db, row.project_id)
        tell(db, {"changed": "sources", "project_id": str(row.project_id)})


@router.delete("/projects/{project}/sources", status_code=204)
def unmount_source(project: UUID, mount: PathText) -> None:
    """Take a mounted place with all its sources out of the project; nothing on disk is touched."""
    with session() as db:
        rows = db.execute(select(SourceRow).where(SourceRow.project_id == project, SourceRow.mount == mount)).scalars()
        for row in rows:
            _leave(db, row)
        touch(db, project)
        tell(db, {"changed": "sources", "project_id": str(project)})


@router.get("/projects/{project}/problems")
def list_problems(project: UUID) -> list[ProblemRow]:
    """Everything that is wrong with the project's sources, with what to do; then names that lead nowhere."""
    with session() as db:
        state = state_of(db, project)
        rows = [
            ProblemRow(source=s.id, label=s.label, code=p["code"], line=p["line"], hint=p.get("hint"))
            for s in reversed(state.sources)
            if s.state != LEAVING
            for p in s.problems
        ]
        for one in faults_of(db, project, _MOST_UNRESOLVED):
            fault = Fault(**one.fault)
            line, hint = replace(fault, hint=None).line(), fault.hint
            rows.append(ProblemRow(source=None, label="entries", code=str(fault.code), line=line, hint=hint))
        unresolved = db.execute(
            select(Reference.name, func.min(Reference.path), func.count())
            .where(Reference.project_id == project, Reference.target.is_(None))
            .group_by(Reference.name)
            .order_by(func.count().desc(), Reference.name)
            .limit(_MOST_UNRESOLVED)
        )
        for name, path, number in unresolved:
            who = "entry names" if number == 1 else "entries name"
            words = f"'{name}' leads nowhere; {number:,} {who} it, {path} for one"
            hint = "Mount the source that holds it, or look at the entry's references for near names."
            rows.append(ProblemRow(source=None, label="references", code="reference-broken", line=words, hint=hint))
    return rows
