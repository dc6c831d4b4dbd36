"""Guessing what an entry of an unknown format holds: a job, whose finds are kept by what they come from."""

from __future__ import annotations

import hashlib
from dataclasses import asdict

from pruxel.core.base.context import Context
from pruxel.core.guessing.guess import guess
from pruxel.server.jobs.runner import job_kind
from pruxel.server.jobs.stacks import StoredStack, split_source, stored_stack
from pruxel.server.store.database import session
from pruxel.server.store.rows import put_row
from pruxel.server.store.tables import EntryRow, Glance, Job

_VERSION = "3"


def guess_key(stack: StoredStack, row: EntryRow) -> str:
    """Changes with the entry's content."""
    words = (
        f"guess {_VERSION}|{stack.state.project}|{row.id}|{row.stamp}|{row.size}|{stack.profile.conventions.words()}"
    )
    return hashlib.blake2b(words.encode(), digest_size=16).hexdigest()


@job_kind("guess")
def guess_entry(job: Job, context: Context) -> None:
    """Guess what one entry holds and store it."""
    stack, path = stored_stack(job.project_id), job.payload["path"]
    data = stack.read(path, context)
    found = guess(data, split_source(path)[1], context, stack.profile.conventions)
    with session() as db:
        put_row(db, Glance, {"key": job.payload["key"], "project_id": job.project_id, "content": asdict(found)})
