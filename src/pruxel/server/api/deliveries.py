"""Deliveries and jobs."""

from __future__ import annotations

from pathlib import Path
from uuid import UUID

from fastapi import APIRouter
from fastapi.responses import FileResponse
from sqlalchemy import select
from sqlalchemy.orm import Session

from pruxel.core.deliver import deliver as _registers_formats  # noqa: F401
from pruxel.core.formats.registry import FORMATS
from pruxel.server.api.models import BatchIn, DeliveryIn, DeliveryOut, FormatOut, JobOut, ReportOut
from pruxel.server.api.workpieces import workpiece_of
from pruxel.server.jobs.queue import put_job, send
from pruxel.server.jobs.stacks import stored_stack
from pruxel.server.store.database import session
from pruxel.server.store.jobs import ACTIVE, change_job, job_event
from pruxel.server.store.missing import not_found
from pruxel.server.store.tables import Delivery, Job, Workpiece

router = APIRouter(tags=["deliveries"])


def _out(d: Delivery) -> DeliveryOut:
    return DeliveryOut(
        id=d.id,
        name=d.name,
        workpiece_id=d.workpiece_id,
        formats=d.formats,
        job=d.job_id,
        report=None if d.report is None else ReportOut.model_validate(d.report),
        folder=d.folder,
        archive_size=d.archive_size,
        created=d.created.isoformat(),
    )


@router.get("/formats")
def list_formats() -> list[FormatOut]:
    """The formats that can be written."""
    return [FormatOut(name=f.name, title=f.title, carries=sorted(f.carries)) for f in FORMATS if f.write is not None]


@router.get("/projects/{project}/deliveries")
def list_deliveries(project: UUID) -> list[DeliveryOut]:
    """All deliveries, newest first."""
    with session() as db:
        rows = db.execute(
            select(Delivery).where(Delivery.project_id == project).order_by(Delivery.created.desc(), Delivery.name)
        )
        return [_out(d) for d in rows.scalars()]


@router.post("/workpieces/{workpiece}/deliveries", status_code=202)
def start_delivery(workpiece: UUID, wanted: DeliveryIn) -> DeliveryOut:
    """Write files from a workpiece as it is now."""
    for name in wanted.formats:
        FORMATS.get(name)
    with session() as db:
        found = db.get(Workpiece, workpiece)
        if found is None:
            raise not_found("workpiece")
        made, job = _start(db, found, wanted.name, wanted.formats)
        result = _out(made)
    send(job)
    return result


@router.post("/projects/{project}/deliveries", status_code=202)
def start_batch(project: UUID, wanted: BatchIn) -> list[DeliveryOut]:
    """Write files from each of several models by itself, with the steps that its workpiece has, if there is one."""
    for name in wanted.formats:
        FORMATS.get(name)
    stack = stored_stack(project)
    with session() as db:
        pieces = [workpiece_of(db, stack, [path]) for path in dict.fromkeys(wanted.entries)]
        started = [_start(db, piece, piece.name, wanted.formats) for piece in pieces]
        results = [_out(made) for made, _ in started]
    for _, job in started:
        send(job)
    return results


def _start(db: Session, piece: Workpiece, name: str, formats: list[str]) -> tuple[Delivery, Job]:
    made = Delivery(project_id=piece.project_id, workpiece_id=piece.id, name=name, formats=formats, steps=piece.steps)
    db.add(made)
    db.flush()
    payload = {"delivery": str(made.id), "key": str(made.id)}
    job = put_job(db, piece.project_id, "deliver", f"Delivering {name}", payload)
    made.job_id = job.id
    db.flush()
    return made, job


@router.get("/deliveries/{delivery}/zip", response_class=FileResponse)
def download(delivery: UUID) -> FileResponse:
    """All files as one zip."""
    with session() as db:
        found = db.get(Delivery, delivery)
    if found is None or found.archive is None or not Path(found.archive).is_file():
        raise not_found("finished delivery")
    return FileResponse(found.archive, media_type="application/zip", filename=f"{found.name}.zip")


@router.get("/projects/{project}/jobs")
def list_jobs(project: UUID) -> list[JobOut]:
    """Jobs that wait or run, and the latest that ended."""
    with session() as db:
        rows = db.execute(select(Job).where(Job.project_id == project).order_by(Job.created.desc()).limit(40)).scalars()
        return [JobOut.model_validate(job_event(j)) for j in rows]


@router.post("/jobs/{job}/cancel")
def cancel_job(job: UUID) -> JobOut:
    """Ask a job to stop; one that still waits is stopped at once."""
    with session() as db:
        found = db.get(Job, job)
        if found is None:
            raise not_found("job")
        if found.status in ACTIVE:
            status = "cancelled" if found.status == "queued" else found.status
            change_job(db, job, cancel=True, status=status)
        return JobOut.model_validate(job_event(found))
