"""Mounting: list a place's sources and load their entries."""

from __future__ import annotations

from pathlib import Path

from sqlalchemy import delete, func, select

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.sources.base import Listing
from pruxel.core.sources.stack import open_sources
from pruxel.server.jobs.queue import put_job, send
from pruxel.server.jobs.runner import job_kind
from pruxel.server.jobs.stacks import check_root, profile_of
from pruxel.server.store.database import session
from pruxel.server.store.entries import load_entries, merge
from pruxel.server.store.jobs import tell
from pruxel.server.store.tables import Job, SourceRow


@job_kind("scan")
def scan(job: Job, context: Context) -> None:
    """List everything a mounted place holds; a source that cannot be read is kept with its problem."""
    mount = check_root(Path(job.payload["mount"]))
    sources = open_sources(mount, profile_of([mount]))
    with session() as db:
        db.execute(delete(SourceRow).where(SourceRow.project_id == job.project_id, SourceRow.mount == str(mount)))
        top = db.execute(select(func.max(SourceRow.position)).where(SourceRow.project_id == job.project_id)).scalar()
        for (number, source), part in context.each(list(enumerate(sources)), lambda s: s[1].label):
            try:
                listing = source.listing(part)
            except InputError as error:
                listing = Listing((), (error.fault,))
            row = SourceRow(
                project_id=job.project_id,
                mount=str(mount),
                label=source.label,
                kind=source.kind,
                position=(top if top is not None else -1) + 1 + number,
                entries=len(listing.entries),
                size=sum(e.size for e in listing.entries),
                problems=[p.as_dict() | {"line": p.line()} for p in listing.problems],
            )
            db.add(row)
            db.flush()
            load_entries(db, job.project_id, row.id, listing.entries)
        merge(db, job.project_id)
        pictures = put_job(db, job.project_id, "pictures", "Drawing pictures", {"key": "all"})
        tell(db, {"changed": "sources", "project_id": str(job.project_id)})
    send(pictures)
