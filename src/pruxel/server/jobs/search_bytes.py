"""Carve: search an entry or a whole source for known formats; chosen finds become a source."""

from __future__ import annotations

import uuid
from dataclasses import asdict

from sqlalchemy import func, select

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.knowledge.kinds import Kind
from pruxel.core.sources.carve import Hit, carve
from pruxel.core.sources.origin import INSIDE
from pruxel.server.jobs.pictures import texture_picture
from pruxel.server.jobs.runner import job_kind
from pruxel.server.jobs.scan import finished, read_source
from pruxel.server.jobs.stacks import StoredStack, stored_stack
from pruxel.server.store.database import session
from pruxel.server.store.jobs import change_job
from pruxel.server.store.rows import put_row
from pruxel.server.store.tables import EntryRow, Glance, Job, SourceRow

_MOST_SHOWN = 2000
_MOST_PICTURES = 200


def address_of(stack: StoredStack, row: EntryRow) -> str:
    """The address of an entry: a file's own path where it lies loose, else inside its source."""
    source = stack.source_row(row.slot)
    if source.kind == "folder":
        return f"{source.address}/{row.path}"
    if source.kind == "file":
        return f"{source.address.rsplit('/', 1)[0]}/{row.path}"
    return f"{source.address}{INSIDE}{row.path}"


@job_kind("carve")
def carve_job(job: Job, context: Context) -> None:
    """Search the bytes of one entry; hits and their pictures stand with the job."""
    stack = stored_stack(job.project_id)
    with session() as db:
        row = db.get(EntryRow, int(job.payload["entry"]))
    if row is None:
        raise InputError(ErrorCode.NOT_FOUND, "the entry is gone", hint="Reload the page.")
    data = stack.read_row(row, context.part(0.0, 0.1))
    found = carve(data, row.path, context.part(0.1, 0.8), int(job.payload["first"]), job.payload["last"])
    rows = []
    for number, hit in enumerate(found.hits[:_MOST_SHOWN]):
        picture = None
        if hit.kind is Kind.TEXTURE and number < _MOST_PICTURES:
            try:
                picture = texture_picture(data[hit.offset : hit.offset + hit.size], hit.path, context)
            except InputError:
                picture = None
        rows.append(asdict(hit) | {"kind": str(hit.kind), "picture": picture})
    with session() as db:
        content = {"hits": rows, "given_up": list(found.given_up)}
        put_row(db, Glance, {"key": job.id.hex, "project_id": job.project_id, "content": content})
        change_job(db, job.id, payload=job.payload | {"found": len(found.hits), "bytes": len(data)})


def keep_hits(project: uuid.UUID, entry: int, hits: list[Hit], context: Context) -> SourceRow:
    """Make a source of chosen hits, on top of the stack."""
    stack = stored_stack(project)
    with session() as db:
        row = db.get_one(EntryRow, entry)
        address = address_of(stack, row)
        holder = stack.source_row(row.slot)
        top = db.execute(select(func.max(SourceRow.position)).where(SourceRow.project_id == project)).scalar() or 0
        made = SourceRow(
            project_id=project,
            mount=holder.mount,
            address=address,
            label=f"found in {row.path.rsplit('/', 1)[-1]}",
            kind="carved",
            position=top + 1,
            layer="found",
            state="waiting",
            problems=[],
            options={"hits": [asdict(hit) | {"kind": str(hit.kind)} for hit in hits]},
        )
        db.add(made)
    read_source(made, context, force=True)
    finished(project)
    return made
