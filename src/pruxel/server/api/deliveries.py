"""Deliveries."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter
from fastapi import Path as Param
from fastapi.responses import FileResponse
from sqlalchemy import select
from sqlalchemy.orm import Session

from pruxel.core.deliver.plan import plan_of
from pruxel.core.formats import every  # noqa: F401 - registers all formats
from pruxel.core.formats.registry import FORMATS
from pruxel.core.formats.textures import link_name
from pruxel.server.api.limits import gives
from pruxel.server.api.models import BatchIn, DeliveryIn, DeliveryOut, FormatOut, Named, NameIn, ReportOut, WrittenAs
from pruxel.server.jobs.ordering import put_delivery
from pruxel.server.jobs.stacks import stored_stack
from pruxel.server.jobs.workpieces import workpiece_of
from pruxel.server.settings import settings
from pruxel.server.store.database import session
from pruxel.server.store.jobs import ask_to_stop, tell
from pruxel.server.store.missing import not_found
from pruxel.server.store.tables import Delivery, Job, Workpiece

router = APIRouter(tags=["deliveries"])


def _out(d: Delivery) -> DeliveryOut:
    return DeliveryOut(
        id=d.id,
        name=d.name,
        file_name=link_name(d.name),
        options=d.options,
        plan=d.plan,
        below=d.below,
        size=_size(d),
        workpiece_id=d.workpiece_id,
        also=[Named(id=one["workpiece"], name=one["name"]) for one in d.also],
        formats=d.formats,
        job=d.job_id,
        report=None if d.report is None else ReportOut.model_validate(d.report),
        folder=d.folder,
        archive_size=d.archive_size,
        created=d.created.isoformat(),
    )


def _size(d: Delivery) -> int:
    """What a delivery takes of the disk, as its report has it."""
    if d.folder is None or d.report is None:
        return 0
    return d.archive_size + sum(file["size"] for made in d.report["formats"] for file in made["files"])


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
    check_wanted(wanted)
    with session() as db:
        found = db.get(Workpiece, workpiece)
        if found is None:
            raise not_found("workpiece")
        further = list(dict.fromkeys(one for one in wanted.also if one != workpiece))
        beside = list(db.execute(select(Workpiece).where(Workpiece.id.in_(further))).scalars())
        if len(beside) < len(further) or any(one.project_id != found.project_id for one in beside):
            raise not_found("workpiece")
        beside.sort(key=lambda one: further.index(one.id))
        return _out(put_delivery(db, [found, *beside], wanted.name, wanted))


@router.post("/projects/{project}/deliveries", status_code=202)
def start_batch(project: UUID, wanted: BatchIn) -> list[DeliveryOut]:
    """Write files from several models, with the steps that their workpieces have, where there are such."""
    check_wanted(wanted)
    stack = stored_stack(project)
    with session() as db:
        pieces = [workpiece_of(db, stack, [path]) for path in dict.fromkeys(wanted.entries)]
        if wanted.together.strip():
            return [_out(put_delivery(db, pieces, wanted.together.strip(), wanted))]
        return [_out(put_delivery(db, [piece], piece.name, wanted)) for piece in pieces]


def check_wanted(wanted: WrittenAs) -> None:
    """Raise `UsageError` for a format that is not there, for options that it does not have, and for a wrong plan."""
    for name in wanted.formats:
        FORMATS.get(name).chosen(wanted.options.get(name, {}))
    plan_of(wanted.plan)


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
        _free(found)
        tell(db, {"changed": "deliveries", "project_id": str(found.project_id)})
        db.delete(found)


def _free(found: Delivery) -> None:
    """Delete what was written, if it lies where deliveries lie."""
    for place in (found.folder, found.archive):
        if place is not None and Path(place).resolve().is_relative_to(settings().deliveries.resolve()):
            path = Path(place)
            shutil.rmtree(path, ignore_errors=True) if path.is_dir() else path.unlink(missing_ok=True)


@router.delete("/deliveries/{delivery}/files")
def free_delivery(delivery: UUID) -> DeliveryOut:
    """Delete the files of a delivery and keep what is known of it: its options, its report."""
    with session() as db:
        found = _delivery(db, delivery)
        _free(found)
        found.folder, found.archive, found.archive_size = None, None, 0
        db.flush()
        tell(db, {"changed": "deliveries", "project_id": str(found.project_id)})
        return _out(found)


@router.get("/deliveries/{delivery}/report", response_class=FileResponse, responses=gives("application/json"))
def download_report(delivery: UUID) -> FileResponse:
    """The whole report as JSON."""
    path, name = _below(delivery, "report.json")
    return FileResponse(path, media_type="application/json", filename=f"{name}-report.json")


@router.get("/deliveries/{delivery}/pictures/{number}", response_class=FileResponse, responses=gives("image/png"))
def report_picture(delivery: UUID, number: Annotated[int, Param(ge=0, le=10_000)]) -> FileResponse:
    """A picture of the report: 0 of all that was to be written, then each file's read back, then each file's before."""
    with session() as db:
        report = _delivery(db, delivery).report or {}
    made = report.get("formats", [])
    listed = [report.get("picture", ""), *(one.get(key, "") for key in ("picture", "before") for one in made)]
    if not 0 <= number < len(listed) or not listed[number]:
        raise not_found("picture")
    return FileResponse(_below(delivery, listed[number])[0], media_type="image/png")


def _below(delivery: UUID, path: str) -> tuple[Path, str]:
    """A file of a delivery that is written, and the name that its files have."""
    with session() as db:
        found = _delivery(db, delivery)
    place = None if found.folder is None else Path(found.folder, path)
    if place is None or not place.is_file() or not place.resolve().is_relative_to(settings().deliveries.resolve()):
        raise not_found("finished delivery")
    return place, link_name(found.name)


@router.get("/deliveries/{delivery}/zip", response_class=FileResponse, responses=gives("application/zip"))
def download(delivery: UUID) -> FileResponse:
    """All files as one zip."""
    with session() as db:
        found = db.get(Delivery, delivery)
    if found is None or found.archive is None or not Path(found.archive).is_file():
        raise not_found("finished delivery")
    return FileResponse(found.archive, media_type="application/zip", filename=f"{link_name(found.name)}.zip")
