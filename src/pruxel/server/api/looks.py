"""Quick looks: what there is to see of an entry, by its kind."""

from __future__ import annotations

from typing import Annotated, Literal
from uuid import UUID

from fastapi import APIRouter, Query, Response
from sqlalchemy import select

from pruxel.server.api.browse_models import (
    GlanceFacts,
    GlanceOut,
    LookOut,
    NeedsOut,
    ReferenceOut,
    ReferencesOut,
    SightIn,
)
from pruxel.server.api.models import JobOut
from pruxel.server.api.sources import state_of
from pruxel.server.jobs.aside import aside
from pruxel.server.jobs.glance import glance_key
from pruxel.server.jobs.looking import look_at, needs_of, texture_png, uses_of
from pruxel.server.jobs.queue import put_job, send
from pruxel.server.jobs.stacks import StoredStack, stored_entry
from pruxel.server.store.blobs import has_blob
from pruxel.server.store.database import session
from pruxel.server.store.jobs import job_event
from pruxel.server.store.missing import not_found
from pruxel.server.store.tables import EntryRow, Job, Reference

router = APIRouter(tags=["looks"])
_SCENES = ("model", "skeleton", "clips")
Channel = Literal["rgb", "rgba", "r", "g", "b", "a"]


@router.get("/entries/{entry}/look")
def look(entry: int) -> LookOut:
    """What can be shown of an entry at once; a scene (model, skeleton, clips) comes by a job, whose id is `glance`."""
    row, stack = stored_entry(entry)
    if row.kind in _SCENES:
        return LookOut(kind=row.kind, glance=_glance(row, stack))
    return LookOut.model_validate(aside(look_at, entry))


@router.get("/entries/{entry}/texture", response_class=Response)
def texture_picture(entry: int, channel: Channel = "rgba", level: Annotated[int, Query(ge=0, le=16)] = 0) -> Response:
    """A texture as PNG: all channels, colours without alpha, or one channel as grey; smaller by powers of two."""
    return Response(aside(texture_png, entry, channel, level), media_type="image/png")


def _glance(row: EntryRow, stack: StoredStack) -> UUID:
    key = glance_key(stack, row)
    project = stack.state.project
    with session() as db:
        done = db.execute(
            select(Job)
            .where(Job.project_id == project, Job.kind == "glance", Job.payload["key"].astext == key)
            .order_by(Job.created.desc())
            .limit(1)
        ).scalar_one_or_none()
        if done is not None and (done.status in {"queued", "running"} or _shown(done)):
            return done.id
        payload = {"key": key, "path": stack.pinned(row), "kind": row.kind, "entry": row.id}
        job = put_job(db, project, "glance", f"Looking at {row.path.rsplit('/', 1)[-1]}", payload)
    send(job)
    return job.id


def _shown(job: Job) -> bool:
    """Whether what a quick look found is still stored."""
    scene = job.payload.get("scene")
    return "facts" in job.payload and (scene is None or has_blob(scene))


@router.get("/glances/{job}")
def get_glance(job: UUID) -> GlanceOut:
    """How a quick look at a model, a skeleton or clips stands."""
    with session() as db:
        found = db.get(Job, job)
    if found is None or found.kind != "glance":
        raise not_found("quick look")
    facts = found.payload.get("facts")
    problem = None if found.fault is None else str(found.fault.get("message", ""))
    return GlanceOut(
        status=found.status,
        scene=found.payload.get("scene"),
        facts=None if facts is None else GlanceFacts.model_validate(facts),
        problem=problem,
    )


@router.get("/entries/{entry}/references")
def list_references(entry: int) -> ReferencesOut:
    """What an entry mentions, resolved now, and who mentions it, as far as the game was read through."""
    row, stack = stored_entry(entry)
    uses = [ReferenceOut.model_validate(use) for use in aside(uses_of, entry)]
    with session() as db:
        wanted = (Reference.project_id == stack.state.project, Reference.target == row.path)
        users = db.execute(select(Reference.path).where(*wanted).distinct().order_by(Reference.path).limit(200))
        return ReferencesOut(uses=uses, used_by=list(users.scalars()))


@router.post("/projects/{project}/references", status_code=202)
def read_references(project: UUID) -> JobOut:
    """Read the whole game through and note who mentions whom."""
    with session() as db:
        job = put_job(db, project, "references", "Following references", {"key": "references"})
    send(job)
    return JobOut.model_validate(job_event(job))


@router.get("/entries/{entry}/needs")
def list_needs(entry: int) -> NeedsOut:
    """An entry with everything it mentions, and what that mentions; names that lead nowhere apart."""
    return NeedsOut.model_validate(aside(needs_of, entry))


@router.post("/projects/{project}/pictures", status_code=204)
def draw_in_sight(project: UUID, wanted: SightIn) -> None:
    """Draw the pictures of what is in sight first; what was wanted before and waits still gives way."""
    with session() as db:
        state_of(db, project)
        job = put_job(db, project, "sight", "Drawing what is in sight", {"key": "sight", "entries": wanted.entries})
        if job.payload["entries"] != wanted.entries and job.status == "queued":
            job.payload = job.payload | {"entries": wanted.entries}
    send(job)
