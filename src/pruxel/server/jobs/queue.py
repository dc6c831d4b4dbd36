"""The task queue, and putting jobs into it."""

from __future__ import annotations

import uuid
from functools import lru_cache
from typing import Any

import procrastinate
from sqlalchemy.orm import Session

from pruxel.server.settings import settings
from pruxel.server.store.jobs import active_job, job_event, tell
from pruxel.server.store.tables import Job, SourceRow

TASK = "pruxel.run"
# Higher goes first: what a person waits for, then what changes what they see, then the rest.
_PRIORITY = {
    "glance": 11,
    "sight": 10,
    "view": 10,
    "rename": 6,
    "scan": 6,
    "aliases": 6,
    "naming": 6,
    "deliver": 5,
    "extract": 5,
    "carve": 5,
    "harvest": 4,
    "verify": 3,
    "references": 2,
    "index": 1,
}


@lru_cache(maxsize=1)
def sync_queue() -> procrastinate.App:
    """The queue as the web process uses it: only to put work in."""
    queue = procrastinate.App(connector=procrastinate.SyncPsycopgConnector(conninfo=settings().database_url))
    queue.open()
    return queue


def put_job(db: Session, project: uuid.UUID, kind: str, title: str, payload: dict[str, Any]) -> Job:
    """Store a job; one of the same kind and key that still waits or runs is returned instead.

    Call `send` with it after the transaction has committed.
    """
    known = active_job(db, project, kind, str(payload.get("key", "")))
    if known is not None and payload.get("key"):
        return known
    job = Job(project_id=project, kind=kind, title=title, payload=payload)
    db.add(job)
    db.flush()
    tell(db, {"job": job_event(job)})
    return job


def put_read_again(db: Session, row: SourceRow) -> Job:
    """Store the job that reads one mounted source again, changed or not."""
    payload = {"mount": row.mount, "source": str(row.id), "key": str(row.id), "force": True}
    return put_job(db, row.project_id, "scan", f"Reading {row.label}", payload)


def put_names_again(db: Session, project: uuid.UUID) -> Job:
    """Store the job that takes names from the game's tables and the profile."""
    return put_job(db, project, "aliases", "Reading the game's tables", {"key": "aliases"})


def send(job: Job) -> None:
    """Hand a stored job to the workers."""
    if job.status == "queued":
        task = sync_queue().configure_task(TASK, priority=_PRIORITY.get(job.kind, 0))
        task.defer(job_id=str(job.id))
