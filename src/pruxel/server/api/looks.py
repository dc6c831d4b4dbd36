"""Quick looks: what there is to see of an entry, by its kind."""

from __future__ import annotations

from typing import Annotated, Literal
from uuid import UUID

from fastapi import APIRouter, Query, Response
from fastapi.responses import PlainTextResponse
from sqlalchemy import select

from pruxel.server.api.browse_models import (
    GlanceFacts,
    GlanceOut,
    LookOut,
    NeedsOut,
    ProblemOut,
    ReferenceOut,
    ReferencesOut,
    SightIn,
    TexturesLikeOut,
)
from pruxel.server.api.limits import EntryId, Word, gives
from pruxel.server.api.models import JobOut, VariantOut
from pruxel.server.api.sources import state_of
from pruxel.server.jobs.aside import aside
from pruxel.server.jobs.glance import glance_key
from pruxel.server.jobs.looking import look_at, needs_of, text_of, texture_png, uses_of
from pruxel.server.jobs.queue import put_job
from pruxel.server.jobs.sight import draw_first
from pruxel.server.jobs.stacks import StoredStack, stored_entry
from pruxel.server.jobs.textures_like import entries_like, textures_like
from pruxel.server.store.blobs import has_blob
from pruxel.server.store.database import reading, session
from pruxel.server.store.jobs import job_details, latest_job
from pruxel.server.store.missing import not_found
from pruxel.server.store.tables import EntryRow, Glance, Reference

router = APIRouter(tags=["looks"])
_SCENES = ("model", "skeleton", "clips")
Channel = Literal["rgb", "rgba", "r", "g", "b", "a"]


@router.get("/entries/{entry}/look")
def look(entry: EntryId) -> LookOut:
    """What can be shown of an entry at once; a scene (model, skeleton, clips) comes later, by the key `glance`."""
    row, stack = stored_entry(entry)
    if row.kind in _SCENES:
        return LookOut(kind=row.kind, glance=_glance(row, stack))
    return LookOut.model_validate(aside(look_at, entry))


@router.get("/entries/{entry}/texture", response_class=Response, responses=gives("image/png"))
def texture_picture(
    entry: EntryId, channel: Channel = "rgba", level: Annotated[int, Query(ge=0, le=16)] = 0
) -> Response:
    """A texture as PNG: all channels, colours without alpha, or one channel as grey; smaller by powers of two."""
    return Response(aside(texture_png, entry, channel, level), media_type="image/png")


@router.get("/entries/{entry}/text", response_class=PlainTextResponse, responses=gives("text/plain"))
def read_as_text(entry: EntryId) -> PlainTextResponse:
    """The beginning of any entry, read as text."""
    return PlainTextResponse(aside(text_of, entry))


def _glance(row: EntryRow, stack: StoredStack) -> str:
    """The key of what a quick look finds; starts the job that finds it when nobody has yet."""
    key = glance_key(stack, row)
    with reading() as db:
        done = db.get(Glance, key)
    if done is None or not _shown(done):
        payload = {"key": key, "path": stack.pinned(row), "kind": row.kind, "entry": row.id}
        with session() as db:
            put_job(db, stack.state.project, "glance", f"Looking at {row.path.rsplit('/', 1)[-1]}", payload)
    return key


def _shown(done: Glance) -> bool:
    """Whether what a quick look found is still stored."""
    scene = done.content["scene"]
    return scene is None or has_blob(scene)


@router.get("/projects/{project}/glances/{key}")
def get_glance(project: UUID, key: Word) -> GlanceOut:
    """How a quick look at a model, a skeleton or clips stands."""
    with reading() as db:
        found = db.get(Glance, key)
        job = latest_job(db, project, "glance", key)
    if found is not None and found.project_id == project and _shown(found):
        facts = GlanceFacts.model_validate(found.content["facts"])
        return GlanceOut(status="done", job=None, scene=found.content["scene"], facts=facts, problem=None)
    if job is None:
        raise not_found("quick look")
    problem = None if job.fault is None else ProblemOut.model_validate(job.fault)
    return GlanceOut(status=job.status, job=job.id, scene=None, facts=None, problem=problem)


@router.get("/entries/{entry}/references")
def list_references(entry: EntryId) -> ReferencesOut:
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
    return JobOut.model_validate(job_details(job))


@router.get("/entries/{entry}/needs")
def list_needs(entry: EntryId) -> NeedsOut:
    """An entry with everything it mentions, and what that mentions; names that lead nowhere apart."""
    return NeedsOut.model_validate(aside(needs_of, entry))


@router.get("/projects/{project}/textures-like")
def list_textures_like(
    project: UUID, named: Annotated[str, Query(min_length=1, max_length=4096)], gap: Word = "base_color"
) -> TexturesLikeOut:
    """Which textures a name that leads nowhere may have meant, for what a material lacks; the surest first."""
    return TexturesLikeOut.model_validate(aside(textures_like, project, named, gap))


@router.get("/projects/{project}/entries-like")
def list_entries_like(
    project: UUID,
    named: Annotated[str, Query(min_length=1, max_length=4096)],
    kind: Literal["material", "skeleton"],
) -> list[VariantOut]:
    """Which materials or skeletons a name may mean, the surest first."""
    return [VariantOut.model_validate(one) for one in aside(entries_like, project, kind, named)]


@router.post("/projects/{project}/pictures", status_code=204)
def draw_in_sight(project: UUID, wanted: SightIn) -> None:
    """Draw the pictures of what is in sight first; what was wanted before and waits still comes behind."""
    with session() as db:
        state_of(db, project)
        draw_first(db, project, wanted.entries)
