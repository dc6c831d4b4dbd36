"""Browsing: entries, folders, raw bytes, pictures."""

from __future__ import annotations

import re
from typing import Annotated
from urllib.parse import quote
from uuid import UUID

from fastapi import APIRouter, Query, Response

from pruxel.core.base.context import Context
from pruxel.server.api.models import EntriesOut, EntryOut, FolderOut
from pruxel.server.api.problems import not_found
from pruxel.server.jobs.stacks import opener
from pruxel.server.store.blobs import get_blob
from pruxel.server.store.database import session
from pruxel.server.store.entries import folders, search, shadowed_labels
from pruxel.server.store.tables import EntryRow

router = APIRouter(tags=["entries"])
_KEY = re.compile(r"^[0-9a-z]{16,80}$")
_FOREVER = {"Cache-Control": "private, max-age=31536000, immutable"}


@router.get("/projects/{project}/entries")
def list_entries(
    project: UUID,
    search_words: Annotated[str, Query(alias="search", max_length=400)] = "",
    kind: str | None = None,
    folder: str | None = None,
    after: str = "",
    limit: Annotated[int, Query(ge=1, le=500)] = 120,
) -> EntriesOut:
    """One page of the merged view."""
    with session() as db:
        rows, total, kinds = search(db, project, search_words, kind, folder, after=after, limit=limit)
        shadowed = shadowed_labels(db, project, [row.path for row, _ in rows])
    entries = [
        EntryOut(
            id=row.id,
            path=row.path,
            kind=row.kind,
            size=row.size,
            source=label,
            shadowed=shadowed.get(row.path, []),
            picture=row.picture,
        )
        for row, label in rows
    ]
    more = len(entries) == limit
    return EntriesOut(entries=entries, total=total, kinds=kinds, next=entries[-1].path if more else None)


@router.get("/projects/{project}/folders")
def list_folders(project: UUID) -> list[FolderOut]:
    """All folders of the merged view."""
    with session() as db:
        return [FolderOut(path=path, entries=count) for path, count in folders(db, project).items()]


@router.get("/entries/{entry}/raw", response_class=Response)
def raw_bytes(entry: int) -> Response:
    """An entry's bytes as they are, for saving."""
    with session() as db:
        row = db.get(EntryRow, entry)
    if row is None:
        raise not_found("entry")
    context = Context()
    data = opener(row.project_id, context).stack.read(row.path, context)
    name = quote(row.path.rsplit("/", 1)[-1])
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{name}", "X-Content-Type-Options": "nosniff"}
    return Response(bytes(data), media_type="application/octet-stream", headers=headers)


@router.get("/blobs/{key}", response_class=Response)
def blob(key: str) -> Response:
    """A stored picture or scene; content never changes under its key."""
    try:
        data = get_blob(key) if _KEY.match(key) else None
    except FileNotFoundError:
        data = None
    if data is None:
        raise not_found("blob")
    media = "model/gltf-binary" if data[:4] == b"glTF" else "image/png"
    return Response(data, media_type=media, headers=_FOREVER)
