"""Jobs: their rows, their progress, and what becomes of those whose worker died."""

from __future__ import annotations

import json
import uuid
from collections.abc import Collection
from typing import Any

from sqlalchemy import ColumnElement, func, select, text
from sqlalchemy.orm import Session

from pruxel.core.base.errors import ErrorCode, Fault
from pruxel.server.store.tables import Job

CHANNEL = "pruxel"
ACTIVE = ("queued", "running")
ATTEMPTS = 2
# NOTIFY takes 8,000 bytes; what is longer is asked for by its id.
_MOST_TOLD = 7_500
# The queue library's own function for this: nothing happens to one that a worker has taken up.
_LEAVE_QUEUE = text("SELECT procrastinate_cancel_job_v1(:task, false, true)")


def tell(db: Session, event: dict[str, Any]) -> None:
    """Send an event to every listening page, when the transaction commits. Events carry ids and short words only."""
    message = json.dumps(event)
    assert len(message.encode()) <= _MOST_TOLD, "an event carries ids, never contents"
    db.execute(text("SELECT pg_notify(:channel, :event)"), {"channel": CHANNEL, "event": message})


def job_event(job: Job) -> dict[str, Any]:
    """A job as an event has it: which one, and how it stands. Everything else is asked for by its id."""
    return {
        "id": str(job.id),
        "project_id": str(job.project_id),
        "kind": job.kind,
        "title": job.title[:200],
        "status": job.status,
        "fraction": round(job.fraction, 4),
        "message": job.message[:200],
        "away": job.away,
    }


def job_details(job: Job) -> dict[str, Any]:
    """A whole job; lists in its payload, which may be long, are left out."""
    payload = {key: value for key, value in job.payload.items() if not isinstance(value, list)}
    ended = None if job.ended is None else job.ended.isoformat()
    return job_event(job) | {
        "title": job.title,
        "message": job.message,
        "fault": job.fault,
        "payload": payload,
        "created": job.created.isoformat(),
        "ended": ended,
    }


def change_job(db: Session, job_id: uuid.UUID, **values: Any) -> Job | None:  # noqa: ANN401
    """Set columns of a job and tell the pages; None when the job is gone."""
    job = db.get(Job, job_id, with_for_update=True)
    if job is None:
        return None
    waited = job.status == "queued"
    for name, value in values.items():
        setattr(job, name, value)
    if waited and job.status not in ACTIVE and job.task is not None:
        # What is over must not keep its place in the queue: only one of a key may wait there.
        db.execute(_LEAVE_QUEUE, {"task": job.task})
    if "status" in values:
        job.ended = None if job.status in ACTIVE else db.execute(select(func.now())).scalar_one()
    db.flush()
    tell(db, {"job": job_event(job)})
    return job


def progress_job(db: Session, job_id: uuid.UUID, fraction: float, message: str) -> None:
    """Tell how far a job is; not while somebody else holds its row, who may wait for what the job holds."""
    job = db.get(Job, job_id, with_for_update={"skip_locked": True})
    if job is not None:
        job.fraction, job.message = fraction, message
        db.flush()
        tell(db, {"job": job_event(job)})


def should_stop(db: Session, job_id: uuid.UUID) -> bool:
    """Whether a person asked a job to stop, or it is gone."""
    return db.execute(select(Job.cancel).where(Job.id == job_id)).scalar_one_or_none() is not False


# What these find out depends on how things stand when they begin: one that runs already may have missed the news.
_AS_IT_IS = ("scan", "rename", "aliases", "references", "pictures", "sight")


def active_job(db: Session, project: uuid.UUID, kind: str, key: str) -> Job | None:
    """A job of that kind for the same key that will do: one that waits, or that runs on what the key says alone."""
    states = ("queued",) if kind in _AS_IT_IS else ACTIVE
    wanted = (Job.project_id == project, Job.kind == kind, Job.status.in_(states), Job.payload["key"].astext == key)
    return db.execute(select(Job).where(*wanted).limit(1)).scalar_one_or_none()


def latest_job(db: Session, project: uuid.UUID, kind: str, key: str) -> Job | None:
    """The last job of a kind that was asked for under a key, however it stands."""
    wanted = (Job.project_id == project, Job.kind == kind, Job.payload["key"].astext == key)
    return db.execute(select(Job).where(*wanted).order_by(Job.created.desc()).limit(1)).scalar_one_or_none()


def ask_to_stop(db: Session, job: Job) -> None:
    """Ask a job to stop; one that still waits ends at once. It is held, so that no worker takes it up meanwhile."""
    db.refresh(job, with_for_update=True)
    if job.status in ACTIVE:
        change_job(db, job.id, cancel=True, status="cancelled" if job.status == "queued" else job.status)


def ask_all_to_stop(db: Session, *which: ColumnElement[bool]) -> None:
    """Ask all jobs of a condition to stop that have not ended."""
    for job in db.execute(select(Job).where(Job.status.in_(ACTIVE), *which)).scalars().all():
        ask_to_stop(db, job)


def overtake(db: Session, job: Job, same: str) -> None:
    """End jobs of the same kind that still wait and have the same value under `same`: nobody asks for them any more."""
    wanted = (Job.project_id == job.project_id, Job.kind == job.kind, Job.status == "queued", Job.id != job.id)
    about = Job.payload[same].astext == str(job.payload[same])
    for older in db.execute(select(Job.id).where(*wanted, about).order_by(Job.id)).scalars():
        change_job(db, older, status="cancelled", cancel=True, away=True)


def work_goes_on(db: Session, but: Collection[str]) -> bool:
    """Whether a job of another kind than those waits or runs."""
    wanted = (Job.status.in_(ACTIVE), Job.kind.not_in(but))
    return db.execute(select(Job.id).where(*wanted).limit(1)).first() is not None


def one_waits(db: Session, kinds: Collection[str]) -> bool:
    """Whether a job of one of these kinds waits."""
    return db.execute(select(Job.id).where(Job.status == "queued", Job.kind.in_(kinds)).limit(1)).first() is not None


def fail_lost(db: Session, job: Job) -> None:
    """Fail a job that brought its process down, or fell silent with its worker, as often as it may."""
    fault = Fault(
        ErrorCode.CANCELLED,
        "the worker stopped in the middle of this work, twice",
        file=job.title,
        hint="Nothing half-written was kept. Start it again; if it stops again, the file may be damaged or too large.",
    )
    change_job(db, job.id, status="failed", message="the worker stopped", fault=fault.as_dict())
