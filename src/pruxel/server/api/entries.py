"""Browsing: entries, counts, folders, versions, raw bytes, pictures; what a person says of them."""

from __future__ import annotations

import mimetypes
from dataclasses import asdict
from pathlib import Path
from typing import Annotated
from urllib.parse import quote
from uuid import UUID

from fastapi import APIRouter, Depends, Response
from fastapi import Query as Parameter
from fastapi.responses import FileResponse
from pydantic import TypeAdapter
from sqlalchemy import delete, select
from starlette.background import BackgroundTask

from pruxel.core.knowledge.kinds import DRAWN
from pruxel.server.api.browse_models import (
    BytesOut,
    EntriesOut,
    EntryOut,
    FacetsOut,
    FolderOut,
    MarkIn,
    SavedSearchModel,
    VersionOut,
)
from pruxel.server.api.limits import LARGEST, EntryId, Word, gives
from pruxel.server.api.sources import state_of
from pruxel.server.jobs.aside import aside
from pruxel.server.jobs.looking import stretch_of, versions_of
from pruxel.server.jobs.stacks import known_of, stored_entry
from pruxel.server.jobs.unpacking import unpacked_file
from pruxel.server.store.blobs import find_blob
from pruxel.server.store.conditions import Flag, Query, Sort
from pruxel.server.store.database import reading, session
from pruxel.server.store.facets import counts
from pruxel.server.store.folders import children
from pruxel.server.store.marks import change_mark, names_changed
from pruxel.server.store.missing import not_found
from pruxel.server.store.projects import project_by_id
from pruxel.server.store.rows import put_row
from pruxel.server.store.scenes import SCENE_BEGINS
from pruxel.server.store.search import Found, page
from pruxel.server.store.stack_state import StackState, kept_state
from pruxel.server.store.tables import SavedSearch

router = APIRouter(tags=["entries"])
_MEDIA = ((b"\x89PNG", "image/png"), (b"\xff\xd8\xff", "image/jpeg"), (b"RIFF", "image/webp"))
FOREVER = {"Cache-Control": "private, max-age=31536000, immutable"}
_MOST_BYTES = 1 << 16
_MOST_ANSWERS = 400
_FOLDERS = TypeAdapter(list[FolderOut])


async def query_of(
    words: Annotated[str, Parameter(alias="search", max_length=400)] = "",
    kind: Word | None = None,
    source: UUID | None = None,
    variant: Word | None = None,
    flag: Flag | None = None,
    folder: Annotated[str | None, Parameter(max_length=2000)] = None,
    direct: bool = False,  # noqa: FBT001, FBT002 - a query parameter
    least: Annotated[int | None, Parameter(ge=0, le=LARGEST)] = None,
    most: Annotated[int | None, Parameter(ge=0, le=LARGEST)] = None,
    sort: Sort = "path",
    down: bool = False,  # noqa: FBT001, FBT002
) -> Query:
    """The parameters of a search."""
    named = None if source is None else str(source)
    return Query(words, kind, named, variant, flag, folder, direct, least, most, sort, down)


Wanted = Annotated[Query, Depends(query_of)]


def _json(content: str | bytes) -> Response:
    """An answer as it is: what the routes above build is not checked once more, in a thread of its own."""
    return Response(content, media_type="application/json")


def _out(row: Found, state: StackState) -> EntryOut:
    slot = state.by_slot[row.slot]
    return EntryOut(
        id=row.id,
        path=row.path,
        kind=row.kind,
        size=row.size,
        source=state.label_of(row.slot),
        source_id=slot.source,
        versions=state.versions(row.slot),
        shadowed=state.shadowed(row.slot),
        variant=row.variant,
        picture=row.picture if row.kind in DRAWN else "",
        alias=row.alias,
        within=row.within,
        note=row.note,
        star=row.star,
        seen=row.seen,
        used=row.used,
    )


@router.get("/projects/{project}/entries", response_model=EntriesOut)
def list_entries(
    project: UUID,
    query: Wanted,
    offset: Annotated[int, Parameter(ge=0, le=10_000_000)] = 0,
    limit: Annotated[int, Parameter(ge=1, le=500)] = 120,
    after: Annotated[str | None, Parameter(max_length=2000)] = None,
) -> Response:
    """One page of the merged view; `after`, the last path of the page before, makes going on quick."""
    with reading() as db:
        state = state_of(db, project)
        rows = page(db, state, query, offset=offset, limit=limit, after=after)
    return _json(EntriesOut(entries=[_out(row, state) for row in rows], offset=offset).model_dump_json())


@router.get("/projects/{project}/facets", response_model=FacetsOut)
def count_entries(project: UUID, query: Wanted) -> Response:
    """How many entries a search finds, by kind, variant class and source."""
    with reading() as db:
        found = counts(db, state_of(db, project), query)
    return _json(FacetsOut(**asdict(found)).model_dump_json())


@router.get("/projects/{project}/folders", response_model=list[FolderOut])
def list_folders(
    project: UUID,
    path: Annotated[str, Parameter(max_length=2000)] = "",
    offset: Annotated[int, Parameter(ge=0, le=LARGEST)] = 0,
    limit: Annotated[int, Parameter(ge=1, le=500)] = 200,
) -> Response:
    """The folders directly in a folder."""
    asked = ("folders", path, offset, limit)
    kept = kept_state(project)
    if kept is not None and asked in kept.answers:
        return _json(kept.answers[asked])
    with reading() as db:
        state = state_of(db, project)
        found = children(db, state, path, offset=offset, limit=limit)
    profile = known_of(project, state.revision).profile
    lines = [FolderOut(**vars(line), purpose=profile.purpose_of(line.path)) for line in found]
    answer = _FOLDERS.dump_json(lines)
    if len(state.answers) < _MOST_ANSWERS:
        state.answers[asked] = answer
    return _json(answer)


@router.get("/entries/{entry}/versions")
def list_versions(entry: EntryId) -> list[VersionOut]:
    """All sources' versions of an entry's path, highest first."""
    return [VersionOut.model_validate(version) for version in aside(versions_of, entry)]


@router.get("/entries/{entry}/raw", response_class=FileResponse, responses=gives("application/octet-stream", "audio/*"))
def raw_bytes(entry: EntryId, *, play: bool = False) -> FileResponse:
    """An entry's bytes as they are: for saving, or for a sound to be played by the page."""
    row, _ = stored_entry(entry)
    place = Path(aside(unpacked_file, entry))
    name = quote(row.path.rsplit("/", 1)[-1])
    guess = mimetypes.guess_type(row.path)[0] or ""
    media = guess if play and guess.startswith("audio/") else "application/octet-stream"
    headers = {"X-Content-Type-Options": "nosniff"}
    headers |= {} if play else {"Content-Disposition": f"attachment; filename*=UTF-8''{name}"}
    return FileResponse(place, media_type=media, headers=headers, background=BackgroundTask(place.unlink))


@router.get("/entries/{entry}/bytes")
def show_bytes(
    entry: EntryId,
    offset: Annotated[int, Parameter(ge=0, le=LARGEST)] = 0,
    size: Annotated[int, Parameter(ge=1, le=_MOST_BYTES)] = 1024,
) -> BytesOut:
    """A stretch of an entry's bytes."""
    return BytesOut.model_validate(aside(stretch_of, entry, offset, size))


@router.get("/blobs/{key}", response_class=Response, responses=gives("application/octet-stream", "image/*"))
def blob(key: Word) -> Response:
    """A stored picture, array or image; content never changes under its key."""
    data = find_blob(key)
    if data is None:
        raise not_found("blob")
    media = next((media for magic, media in _MEDIA if data.startswith(magic)), "application/octet-stream")
    return Response(data, media_type=media, headers=FOREVER | {"X-Content-Type-Options": "nosniff"})


@router.get("/scenes/{manifest}", response_class=Response, responses=gives("application/json"))
def scene_manifest(manifest: Word) -> Response:
    """A stored scene as its manifest, from which the page asks for the blobs that it lacks."""
    data = find_blob(manifest)
    if data is None or not data.startswith(SCENE_BEGINS):
        raise not_found("scene")
    return Response(data, media_type="application/json", headers=FOREVER)


@router.put("/projects/{project}/marks", status_code=204)
def mark(project: UUID, wanted: MarkIn) -> None:
    """Say something of an entry or a folder: alias, note, star, seen."""
    with session() as db:
        state = state_of(db, project)
        values = wanted.model_dump(include={"alias", "note", "star", "seen"})
        change_mark(db, state, wanted.path, folder=wanted.folder, values=values)
        if any(value is not None for name, value in values.items() if name != "seen"):
            names_changed(db, project)


@router.get("/projects/{project}/searches")
def list_searches(project: UUID) -> list[SavedSearchModel]:
    """Saved searches by name."""
    with reading() as db:
        rows = db.execute(select(SavedSearch).where(SavedSearch.project_id == project).order_by(SavedSearch.name))
        return [SavedSearchModel(name=r.name, query=r.query) for r in rows.scalars()]


@router.put("/projects/{project}/searches")
def save_search(project: UUID, wanted: SavedSearchModel) -> list[SavedSearchModel]:
    """Keep a search under a name."""
    with session() as db:
        project_by_id(db, project)
        put_row(db, SavedSearch, {"project_id": project, "name": wanted.name, "query": wanted.query})
    return list_searches(project)


@router.delete("/projects/{project}/searches")
def forget_search(project: UUID, name: Word) -> list[SavedSearchModel]:
    """Forget a saved search."""
    with session() as db:
        db.execute(delete(SavedSearch).where(SavedSearch.project_id == project, SavedSearch.name == name))
    return list_searches(project)
