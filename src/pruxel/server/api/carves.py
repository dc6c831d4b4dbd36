"""Searching bytes for known formats, and keeping what was found."""

from __future__ import annotations

from uuid import uuid4

from fastapi import APIRouter

from pruxel.core.base.context import Context
from pruxel.core.sources.carve import Hit
from pruxel.server.api.browse_models import CarveIn, KeepIn
from pruxel.server.api.limits import EntryId
from pruxel.server.api.models import JobOut
from pruxel.server.jobs.queue import put_job
from pruxel.server.jobs.search_bytes import address_of, keep_hits
from pruxel.server.jobs.stacks import stored_entry
from pruxel.server.store.database import session
from pruxel.server.store.jobs import job_details

router = APIRouter(tags=["carve"])


@router.post("/entries/{entry}/carve", status_code=202)
def start_carve(entry: EntryId, wanted: CarveIn) -> JobOut:
    """Search an entry's bytes, or a range of them."""
    row, stack = stored_entry(entry)
    payload = {"key": str(uuid4()), "entry": row.id, "path": row.path, "first": wanted.first, "last": wanted.last}
    with session() as db:
        job = put_job(db, stack.state.project, "carve", f"Searching {row.path.rsplit('/', 1)[-1]}", payload)
    return JobOut.model_validate(job_details(job))


@router.post("/entries/{entry}/finds", status_code=201)
def keep_finds(entry: EntryId, wanted: KeepIn) -> str:
    """Make entries of chosen finds; returns the label of their source."""
    _, stack = stored_entry(entry)
    hits = [Hit(h.format, h.ending, h.kind, h.offset, h.size) for h in wanted.hits]
    return keep_hits(stack.state.project, entry, hits, Context()).label


@router.get("/entries/{entry}/address")
def entry_address(entry: EntryId) -> str:
    """The address of an entry, by which a pack inside a pack is mounted."""
    row, stack = stored_entry(entry)
    return address_of(stack, row)
