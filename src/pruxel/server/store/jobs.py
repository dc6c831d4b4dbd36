"""Jobs: their rows, their progress, and what becomes of those whose worker died."""

from __future__ import annotations

import json
import uuid
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import func, select, text, update
from sqlalchemy.orm import Session

from pruxel.core.base.errors import ErrorCode, Fault
from pruxel.server.store.tables import Job

CHANNEL = "pruxel"
ACTIVE = ("queued", "running")
_SILENT_AFTER = timedelta(seconds=20)
_ATTEMPTS = 2


def tell(db: Session, event: dict[str, Any]) -> None:
    """Send an event to every listening page, when the transaction commits."""
    db.execute(text("SELECT pg_notify(:channel, :event)"), {"channel": CHANNEL, "event": json.dumps(event)})


def job_event(job: Job, *, whole: bool = False) -> dict[str, Any]:
    """A job as pages see it; lists in its payload are left out unless it is asked for `whole`."""
    payload = job.payload if whole else {k: v for k, v in job.payload.items() if not isinstance(v, list)}
    return {
        "id": str(job.id),
        "project_id": str(job.project_id),
        "kind": job.kind,
        "title": job.title,
        "status": job.status,
        "fraction": round(job.fraction, 4),
        "message": job.message[:200],
        "fault": job.fault,
        "payload": payload,
    }


def change_job(db: Session, job_id: uuid.UUID, **values: Any) -> Job | None:  # noqa: ANN401
    """Set columns of a job and tell the pages; None when the job is gone."""
    job = db.get(Job, job_id, with_for_update=True)
    if job is None:
        return None
    for name, value in values.items():
        setattr(job, name, value)
    db.flush()
    tell(db, {"job": job_event(job)})
    return job


def beat(db: Session, job_id: uuid.UUID) -> bool:
    """Sign of life of a running job; returns whether it should stop."""
    db.execute(update(Job).where(Job.id == job_id).values(heartbeat=func.now()))
    row = db.execute(select(Job.cancel).where(Job.id == job_id)).scalar_one_or_none()
    return row is not False


# What these find out depends on how things stand when they begin: one that runs already may have missed the news.
_AS_IT_IS = ("scan", "rename", "aliases", "references", "pictures", "sight")


def active_job(db: Session, project: uuid.UUID, kind: str, key: str) -> Job | None:
    """A job of that kind for the same key that will do: one that waits, or that runs on what the key says alone."""
    states = ("queued",) if kind in _AS_IT_IS else ACTIVE
    wanted = (Job.project_id == project, Job.kind == kind, Job.status.in_(states), Job.payload["key"].astext == key)
    return db.execute(select(Job).where(*wanted).limit(1)).scalar_one_or_none()


def work_waits(db: Session, but: str) -> bool:
    """Whether a job of another kind than `but` waits for a worker."""
    return db.execute(select(Job.id).where(Job.status == "queued", Job.kind != but).limit(1)).first() is not None


def silent_jobs(db: Session) -> list[Job]:
    """Running jobs that have given no sign of life for a while, locked for the caller."""
    now: datetime = db.execute(select(func.now())).scalar_one()
    wanted = (Job.status == "running", Job.heartbeat < now - _SILENT_AFTER)
    return list(db.execute(select(Job).where(*wanted).with_for_update(skip_locked=True)).scalars())


def lost_jobs(db: Session) -> list[Job]:
    """Jobs that wait, but stand in no queue: their server or worker ended between two statements."""
    rows = db.execute(
        text(
            "SELECT id FROM jobs j WHERE status = 'queued' AND created < now() - interval '4 seconds' "
            "AND NOT EXISTS (SELECT 1 FROM procrastinate_jobs q "
            "WHERE q.status IN ('todo', 'doing') AND q.args->>'job_id' = j.id::text)"
        )
    )
    return [job for (number,) in rows if (job := db.get(Job, number)) is not None]


def give_up_or_retry(db: Session, job: Job) -> bool:
    """Queue a silent job again, or fail it with a word after its second try; returns whether it was queued."""
    again = job.attempts < _ATTEMPTS and not job.cancel
    if again:
        change_job(db, job.id, status="queued", fraction=0.0, message="the worker stopped; trying again")
        return True
    fault = Fault(
        ErrorCode.CANCELLED,
        "the worker stopped in the middle of this work, twice",
        hint="Nothing half-written was kept. Start it again; should it stop again, the file may need more memory.",
    )
    change_job(db, job.id, status="failed", message="the worker stopped", fault=fault.as_dict())
    return False
