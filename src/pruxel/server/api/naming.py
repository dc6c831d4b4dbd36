"""Keys and names: the ring of keys, lists of paths, harvest, names by hand."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

import numpy as np
from fastapi import APIRouter, Body, Query
from sqlalchemy import delete, select

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.knowledge.keys import parse_key, shown_key
from pruxel.core.knowledge.name_lists import hash_names, names_of
from pruxel.core.sources.pack_spec import key_names
from pruxel.core.sources.packs import PackSource
from pruxel.server.api.models import JobOut
from pruxel.server.api.source_models import KeyIn, KeyOut, NameIn, NameListOut
from pruxel.server.jobs.naming import store_names
from pruxel.server.jobs.queue import put_job, put_read_again
from pruxel.server.jobs.stacks import open_source, stored_stack
from pruxel.server.store.blobs import get_blob
from pruxel.server.store.database import session
from pruxel.server.store.jobs import job_details, tell
from pruxel.server.store.missing import not_found
from pruxel.server.store.projects import keys_of
from pruxel.server.store.rows import put_row
from pruxel.server.store.stack_state import touch
from pruxel.server.store.tables import EntryRow, KeyRow, NameListRow, SourceRow

router = APIRouter(tags=["names"])
_KEY_CODES = ("key-needed", "key-wrong")


def _wanted_keys(project: UUID) -> dict[str, str]:
    """Keys that the profile or its layouts name, with what they are for."""
    profile = stored_stack(project).profile
    wanted = {key.name: key.about for key in profile.spec.keys}
    for layout in profile.layouts:
        for name in sorted(key_names(layout)):
            wanted.setdefault(name, f"named by the layout '{layout.title or layout.layout}'")
    return wanted


@router.get("/projects/{project}/keys")
def list_keys(project: UUID) -> list[KeyOut]:
    """The ring: keys that are there, and keys that are wanted. Values are never sent."""
    wanted = _wanted_keys(project)
    with session() as db:
        here = keys_of(db, project)
    return [
        KeyOut(
            name=name,
            here=name in here,
            wanted=name in wanted,
            shown=shown_key(here[name]) if name in here else "",
            about=wanted.get(name, ""),
        )
        for name in sorted({*wanted, *here})
    ]


def _open_again(project: UUID) -> None:
    """Read the sources again that wait for a key."""
    with session() as db:
        rows = db.execute(select(SourceRow).where(SourceRow.project_id == project)).scalars()
        for row in rows:
            if row.state == "failed" or any(p["code"] in _KEY_CODES for p in row.problems):
                put_read_again(db, row)
        tell(db, {"changed": "keys", "project_id": str(project)})


@router.put("/projects/{project}/keys")
def put_key(project: UUID, wanted: KeyIn) -> list[KeyOut]:
    """Put a key on the ring; what waited for it, or was opened by another, is read again."""
    value = parse_key(wanted.value)
    with session() as db:
        put_row(db, KeyRow, {"project_id": project, "name": wanted.name.strip(), "value": value})
        touch(db, project)
    _open_again(project)
    return list_keys(project)


@router.delete("/projects/{project}/keys")
def remove_key(project: UUID, name: Annotated[str, Query(max_length=80)]) -> list[KeyOut]:
    """Take a key off the ring; what it opened is read again without it."""
    with session() as db:
        db.execute(delete(KeyRow).where(KeyRow.project_id == project, KeyRow.name == name))
        touch(db, project)
        rows = db.execute(select(SourceRow).where(SourceRow.project_id == project)).scalars()
        layouts = {layout.layout: layout for layout in stored_stack(project).profile.layouts}
        for row in rows:
            if row.kind in layouts and key_names(layouts[row.kind]):
                put_read_again(db, row)
        tell(db, {"changed": "keys", "project_id": str(project)})
    return list_keys(project)


@router.get("/projects/{project}/names")
def list_names(project: UUID) -> list[NameListOut]:
    """The project's own lists of paths."""
    with session() as db:
        rows = db.execute(select(NameListRow).where(NameListRow.project_id == project).order_by(NameListRow.label))
        return [NameListOut(id=r.id, label=r.label, names=r.names, dropped=r.dropped) for r in rows.scalars()]


def _rename(project: UUID) -> None:
    with session() as db:
        put_job(db, project, "rename", "Matching names", {"key": "rename"})


@router.post("/projects/{project}/names", status_code=201)
def add_names(
    project: UUID,
    label: Annotated[str, Query(min_length=1, max_length=120)],
    data: Annotated[bytes, Body(media_type="application/octet-stream")],
) -> list[NameListOut]:
    """Take in a list of paths (text, gzip welcome); packs of hashes are matched against it."""
    store_names(project, label, data)
    _rename(project)
    return list_names(project)


@router.delete("/names/{names}", status_code=204)
def remove_names(names: UUID) -> None:
    """Take a list out again."""
    with session() as db:
        row = db.get(NameListRow, names)
        if row is None:
            raise not_found("list")
        project = row.project_id
        db.delete(row)
        touch(db, project)
        tell(db, {"changed": "names", "project_id": str(project)})
    _rename(project)


@router.post("/projects/{project}/names/hand")
def name_by_hand(project: UUID, wanted: NameIn) -> list[NameListOut]:
    """Name an entry that has only a hash. The name must fit the hash; any other word is an alias, not a name."""
    stack = stored_stack(project)
    with session() as db:
        row = db.get(EntryRow, wanted.entry)
    if row is None or row.slot not in stack.state.by_slot:
        raise not_found("entry")
    source = open_source(stack.source_row(row.slot), stack.knowledge, stack.state.revision, Context())
    if not isinstance(source, PackSource) or source.hashing is None or not row.path.startswith("~unnamed/"):
        raise InputError(ErrorCode.CONFLICT, "this entry has a name already", file=row.path)
    found = int(np.asarray(hash_names(names_of([wanted.name.encode()]), source.hashing))[0])
    code = row.path.rsplit("/", 1)[-1]
    if f"{found:016x}" != code:
        raise InputError(
            ErrorCode.CONFLICT,
            "this is not its name",
            file=row.path,
            expected=f"a path with the hash {code}",
            found=f"{found:016x}",
            hint="Give it as an alias instead; an alias may be anything.",
        )
    with session() as db:
        own = (NameListRow.project_id == project, NameListRow.label == "by hand")
        earlier = db.execute(select(NameListRow).where(*own)).scalar_one_or_none()
    text = get_blob(earlier.blob) if earlier is not None else b""
    store_names(project, "by hand", text + wanted.name.encode() + b"\n")
    _rename(project)
    return list_names(project)


@router.post("/projects/{project}/harvest", status_code=202)
def start_harvest(project: UUID) -> JobOut:
    """Look in the game's own entries for names of what has only a hash."""
    with session() as db:
        job = put_job(db, project, "harvest", "Harvesting names", {"key": "harvest"})
    return JobOut.model_validate(job_details(job))
