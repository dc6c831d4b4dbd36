"""Work in the background: what waits, runs, failed or ended; stopping it, trying it again, putting it away."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query
from sqlalchemy import or_, select, update
from sqlalchemy.orm import Session

from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.server.api.browse_models import JobResults
from pruxel.server.api.models import JobOut
from pruxel.server.jobs.queue import put_again
from pruxel.server.store.database import reading, session
from pruxel.server.store.jobs import ACTIVE, ask_to_stop, change_job, job_details, tell
from pruxel.server.store.missing import not_found
from pruxel.server.store.tables import Glance, Job

router = APIRouter(tags=["jobs"])
_LATEST = 40
_AGAIN = ("failed", "cancelled")


def _job(db: Session, job: UUID, *, to_change: bool = False) -> Job:
    """A job; one that is to be changed is held, so that no worker takes it up between the look and the change."""
    found = db.get(Job, job, with_for_update=to_change)
    if found is None:
        raise not_found("job")
    return found


@router.get("/projects/{project}/jobs")
def list_jobs(project: UUID, limit: Annotated[int, Query(ge=1, le=500)] = _LATEST) -> list[JobOut]:
    """Jobs that wait, run or failed and were not put away, then the latest that ended."""
    with reading() as db:
        mine = select(Job).where(Job.project_id == project).order_by(Job.created.desc())
        kept = db.execute(mine.where(or_(Job.status.in_(ACTIVE), (Job.status == "failed") & ~Job.away))).scalars().all()
        latest = db.execute(mine.limit(limit)).scalars().all()
        jobs = {job.id: job for job in (*kept, *latest)}.values()
        return [JobOut.model_validate(job_details(job)) for job in jobs]


@router.get("/jobs/{job}")
def get_job(job: UUID) -> JobOut:
    """One job."""
    with reading() as db:
        return JobOut.model_validate(job_details(_job(db, job)))


@router.get("/jobs/{job}/results")
def get_results(job: UUID) -> JobResults:
    """What a search of bytes or a harvest of names found, or what an extraction left out; empty until it is done."""
    with reading() as db:
        made = db.get(Job, job)
        if made is not None and made.kind == "extract":
            return JobResults(not_written=made.payload.get("faults", []))
        found = db.get(Glance, job.hex)
        return JobResults.model_validate({} if found is None else found.content)


@router.post("/jobs/{job}/cancel")
def cancel_job(job: UUID) -> JobOut:
    """Ask a job to stop; one that still waits is stopped at once."""
    with session() as db:
        found = _job(db, job)
        ask_to_stop(db, found)
        return JobOut.model_validate(job_details(found))


@router.post("/jobs/{job}/again")
def try_job_again(job: UUID) -> JobOut:
    """Start a job once more that failed or was stopped."""
    with session() as db:
        found = _job(db, job, to_change=True)
        if found.status not in _AGAIN:
            raise UsageError(
                ErrorCode.USAGE,
                "this job cannot be tried again",
                expected="one that failed or was stopped",
                found=found.status,
            )
        put_again(db, found, attempts=0, fraction=0.0, message="waits for a worker")
        return JobOut.model_validate(job_details(found))


@router.post("/jobs/{job}/away", status_code=204)
def put_job_away(job: UUID) -> None:
    """Take an ended job off the list; it stays in the history."""
    with session() as db:
        change_job(db, _job(db, job).id, away=True)


@router.post("/projects/{project}/jobs/away", status_code=204)
def put_all_away(project: UUID) -> None:
    """Take all ended jobs off the list."""
    with session() as db:
        ended = (Job.project_id == project, Job.status.not_in(ACTIVE), ~Job.away)
        db.execute(update(Job).where(*ended).values(away=True))
        tell(db, {"changed": "jobs", "project_id": str(project)})
