"""The task queue, and putting jobs into it.

In the very transaction that stores them, so that none is ever lost between.
"""

from __future__ import annotations

import json
import uuid
from typing import Any

from sqlalchemy import text
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from pruxel.server.store.jobs import active_job, change_job, job_event, tell
from pruxel.server.store.setbacks import forgive
from pruxel.server.store.tables import Job, SourceRow

TASK = "pruxel.run"
FRONT, BACK = "front", "back"
# What nobody waits for: it runs in a process of its own that gives way to everything else.
BEHIND = frozenset({"pictures", "index", "references", "verify", "sweep"})
# Higher goes first: what a person waits for, then what changes what they see, then the rest.
_PRIORITY = {
    "glance": 11,
    "guess": 9,
    "sight": 10,
    "view": 10,
    "preview": 11,
    "rename": 6,
    "scan": 6,
    "aliases": 6,
    "naming": 6,
    "deliver": 5,
    "extract": 5,
    "carve": 5,
    "harvest": 4,
    "verify": 3,
    "batch": 3,
    "references": 2,
    "index": 1,
}
# The queue library's own function for this: a row of its table and a word to its workers.
_DEFER = text(
    "SELECT unnest(procrastinate_defer_jobs_v1(ARRAY[ROW(:queue, :task, :priority, NULL, :lock, CAST(:args AS jsonb), "
    "NULL)::procrastinate_job_to_defer_v1]))"
)


def put_job(db: Session, project: uuid.UUID, kind: str, title: str, payload: dict[str, Any]) -> Job:
    """Store a job and hand it to the workers, both when the transaction commits.

    One of the same kind and key that still waits, or runs and will do, is returned instead.
    """
    key = str(payload.get("key", ""))
    if key and (known := active_job(db, project, kind, key)) is not None:
        return known
    job = Job(project_id=project, kind=kind, title=title, payload=payload)
    try:
        with db.begin_nested():
            db.add(job)
            db.flush()
            _defer(db, job, key)
    except IntegrityError:
        # Another put the same at the same moment: the library lets only one wait.
        known = active_job(db, project, kind, key)
        if known is None:
            raise
        return known
    tell(db, {"job": job_event(job)})
    return job


def put_again(db: Session, job: Job, **values: Any) -> None:  # noqa: ANN401 - columns of a job
    """Hand a stored job to the workers once more."""
    change_job(db, job.id, status="queued", cancel=False, fault=None, away=False, **values)
    _defer(db, job, "")


def _defer(db: Session, job: Job, key: str) -> None:
    values = {
        "queue": BACK if job.kind in BEHIND else FRONT,
        "task": TASK,
        "priority": _PRIORITY.get(job.kind, 0),
        "lock": f"{job.project_id}|{job.kind}|{key}" if key else None,
        "args": json.dumps({"job_id": str(job.id)}),
    }
    job.task = db.execute(_DEFER, values).scalar_one()
    db.flush()


def put_read_again(db: Session, row: SourceRow) -> Job:
    """Store the job that reads one mounted source again, changed or not, whatever it did before."""
    forgive(db, row.project_id, "source", [row.address])
    payload = {"mount": row.mount, "source": str(row.id), "key": str(row.id), "force": True}
    return put_job(db, row.project_id, "scan", f"Reading {row.label}", payload)


def put_names_again(db: Session, project: uuid.UUID) -> Job:
    """Store the job that takes names from the game's tables and the profile."""
    return put_job(db, project, "aliases", "Reading the game's tables", {"key": "aliases"})
