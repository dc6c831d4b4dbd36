"""Deliveries."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Any
from uuid import UUID

from fastapi import APIRouter
from fastapi.responses import FileResponse
from sqlalchemy import select
from sqlalchemy.orm import Session

from pruxel.core.formats import every  # noqa: F401 - registers all formats
from pruxel.core.formats.registry import FORMATS
from pruxel.core.formats.textures import link_name
from pruxel.server.api.limits import gives
from pruxel.server.api.models import BatchIn, DeliveryIn, DeliveryOut, FormatOut, NameIn, ReportOut
from pruxel.server.api.workpieces import workpiece_of
from pruxel.server.jobs.queue import put_job
from pruxel.server.jobs.stacks import stored_stack
from pruxel.server.settings import settings
from pruxel.server.store.database import session
from pruxel.server.store.jobs import ask_to_stop, tell
from pruxel.server.store.missing import not_found
from pruxel.server.store.revisions import steps_of
from pruxel.server.store.tables import Delivery, Job, Workpiece

router = APIRouter(tags=["deliveries"])


def _out(d: Delivery) -> DeliveryOut:
    return DeliveryOut(
        id=d.id,
        name=d.name,
        file_name=link_name(d.name),
        options=d.options,
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
    return [
        FormatOut(name=f.name, title=f.title, carries=sorted(f.carries), options=f.options.model_json_schema())
        for f in FORMATS
        if f.write is not None
    ]


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
    _check(wanted.formats, wanted.options)
    with session() as db:
        found = db.get(Workpiece, workpiece)
        if found is None:
            raise not_found("workpiece")
        return _out(_start(db, found, wanted.name, wanted.formats, wanted.options))


@router.post("/projects/{project}/deliveries", status_code=202)
def start_batch(project: UUID, wanted: BatchIn) -> list[DeliveryOut]:
    """Write files from each of several models by itself, with the steps that its workpiece has, if there is one."""
    _check(wanted.formats, wanted.options)
    stack = stored_stack(project)
    with session() as db:
        pieces = [workpiece_of(db, stack, [path]) for path in dict.fromkeys(wanted.entries)]
        return [_out(_start(db, piece, piece.name, wanted.formats, wanted.options)) for piece in pieces]


def _check(formats: list[str], options: dict[str, Any]) -> None:
    """Raise `UsageError` for a format that is not there, and for options that it does not have."""
    for name in formats:
        FORMATS.get(name).chosen(options.get(name, {}))


def _start(
    db: Session, piece: Workpiece, name: str, formats: list[str], options: dict[str, dict[str, Any]]
) -> Delivery:
    made = Delivery(
        project_id=piece.project_id,
        workpiece_id=piece.id,
        name=name,
        formats=formats,
        options=options,
        steps=steps_of(db, piece),
    )
    db.add(made)
    db.flush()
    payload = {"delivery": str(made.id), "key": str(made.id)}
    made.job_id = put_job(db, piece.project_id, "deliver", f"Delivering {name}", payload).id
    db.flush()
    tell(db, {"changed": "deliveries", "project_id": str(piece.project_id)})
    return made


def _delivery(db: Session, delivery: UUID) -> Delivery:
    found = db.get(Delivery, delivery)
    if found is None:
        raise not_found("delivery")
    return found


@router.patch("/deliveries/{delivery}")
def rename_delivery(delivery: UUID, wanted: NameIn) -> DeliveryOut:
    """Give a delivery another name; files that are written keep theirs."""
    with session() as db:
        found = _delivery(db, delivery)
        found.name = wanted.name
        db.flush()
        tell(db, {"changed": "deliveries", "project_id": str(found.project_id)})
        return _out(found)


@router.delete("/deliveries/{delivery}", status_code=204)
def remove_delivery(delivery: UUID) -> None:
    """Remove a delivery with the files that were written for it; one that is being written is stopped first."""
    with session() as db:
        found = _delivery(db, delivery)
        job = None if found.job_id is None else db.get(Job, found.job_id)
        if job is not None:
            ask_to_stop(db, job)
        for place in (found.folder, found.archive):
            if place is not None and Path(place).resolve().is_relative_to(settings().deliveries.resolve()):
                path = Path(place)
                shutil.rmtree(path, ignore_errors=True) if path.is_dir() else path.unlink(missing_ok=True)
        tell(db, {"changed": "deliveries", "project_id": str(found.project_id)})
        db.delete(found)


@router.get("/deliveries/{delivery}/zip", response_class=FileResponse, responses=gives("application/zip"))
def download(delivery: UUID) -> FileResponse:
    """All files as one zip."""
    with session() as db:
        found = db.get(Delivery, delivery)
    if found is None or found.archive is None or not Path(found.archive).is_file():
        raise not_found("finished delivery")
    return FileResponse(found.archive, media_type="application/zip", filename=f"{link_name(found.name)}.zip")
