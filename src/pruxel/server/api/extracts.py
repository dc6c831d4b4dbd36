"""Taking raw files out: into a folder, with pause and resume, or as one stream."""

from __future__ import annotations

import hashlib
import os
import shutil
import subprocess
import sys
from collections.abc import Iterator
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any
from urllib.parse import quote
from uuid import UUID, uuid4

import orjson
from fastapi import APIRouter
from fastapi.responses import StreamingResponse
from sqlalchemy import func, select, text

from pruxel.core.base.errors import ErrorCode, InputError, UsageError
from pruxel.core.disk.names import safe_part
from pruxel.server.api.browse_models import CollisionOut, ExtractIn, HolderOut, SelectionIn, SelectionOut, ZipOut
from pruxel.server.api.limits import Word, gives
from pruxel.server.api.models import JobOut
from pruxel.server.jobs import unpacking
from pruxel.server.jobs.extract import extract_folder
from pruxel.server.jobs.queue import put_again, put_job
from pruxel.server.jobs.stacks import StoredStack, stored_stack
from pruxel.server.settings import settings
from pruxel.server.store.blobs import find_blob, put_blob
from pruxel.server.store.collisions import collisions
from pruxel.server.store.conditions import Query, condition_of, query_of
from pruxel.server.store.database import session
from pruxel.server.store.jobs import ACTIVE, change_job, job_details
from pruxel.server.store.missing import not_found
from pruxel.server.store.tables import EntryRow, Job

router = APIRouter(tags=["extracts"])
_NOTE = b"selection "  # tells a noted selection from the other blobs
_PIECE = 1 << 16


def _chosen(wanted: SelectionIn) -> dict[str, Any]:
    """The part of a job's payload that says which entries."""
    if wanted.paths:
        return {"paths": wanted.paths}
    if wanted.query is None:
        raise InputError(ErrorCode.USAGE, "nothing is chosen", hint="Pick entries, or give a search.")
    return {"query": asdict(replace(query_of(wanted.query), sort="path", down=False))}


def _manner(wanted: ExtractIn) -> dict[str, Any]:
    """The part of a job's payload that says where entries go and which version of them."""
    choices = {path: str(source) for path, source in wanted.choices.items()}
    return {"shape": wanted.shape, "prefix": wanted.prefix, "versions": wanted.versions, "choices": choices}


def _totals(stack: StoredStack, chosen: dict[str, Any], *, every: bool) -> SelectionOut:
    settings().extracts.mkdir(parents=True, exist_ok=True)
    free = shutil.disk_usage(settings().extracts).free
    slots = stack.state.every if every else stack.state.winning
    with session() as db:
        if "paths" in chosen:
            rows = (EntryRow.slot.in_(slots), EntryRow.path.in_(chosen["paths"]))
            name = func.regexp_replace(EntryRow.path, "^.*/", "")
            inner = select(EntryRow.slot, EntryRow.size, name.label("name")).where(*rows).subquery()
            grouped = db.execute(
                select(inner.c.slot, func.count(), func.sum(inner.c.size)).group_by(inner.c.slot)
            ).all()
            names = db.execute(select(func.count(func.distinct(inner.c.name)))).scalar_one()
        else:
            asked = condition_of(db, stack.state, Query(**chosen["query"]))
            values = asked.values | ({"slots": slots} if every else {})
            base = f"FROM entries e WHERE e.slot = ANY(:slots) AND {asked.whole}"
            grouped = db.execute(text(f"SELECT e.slot, count(*), sum(e.size) {base} GROUP BY 1"), values).all()
            plain = f"SELECT count(DISTINCT regexp_replace(e.path, '^.*/', '')) {base}"
            names = db.execute(text(plain), values).scalar_one()
    files = sum(int(r[1]) for r in grouped)
    several = sum(int(r[1]) for r in grouped if len(stack.state.by_slot[r[0]].holders) > 1)
    return SelectionOut(
        files=files, size=sum(int(r[2] or 0) for r in grouped), several=several, same_name=files - int(names), free=free
    )


@router.post("/projects/{project}/selection")
def measure_selection(project: UUID, wanted: SelectionIn) -> SelectionOut:
    """How many files a selection is, how large, how many paths several sources hold, and how much room there is."""
    return _totals(stored_stack(project), _chosen(wanted), every=False)


@router.post("/projects/{project}/collisions")
def list_collisions(project: UUID, wanted: SelectionIn) -> list[CollisionOut]:
    """The paths of a selection that several sources hold, with every holder; the first few hundred."""
    state, chosen = stored_stack(project).state, _chosen(wanted)
    with session() as db:
        found = collisions(db, state, paths=chosen.get("paths"), query=Query(**chosen.get("query", {})))
    return [
        CollisionOut(
            path=held.path,
            holders=[
                HolderOut(
                    source=state.label_of(row.slot),
                    source_id=state.by_slot[row.slot].source,
                    size=row.size,
                    wins=row.slot in state.winning,
                )
                for row in held.rows
            ],
        )
        for held in found
    ]


@router.post("/projects/{project}/extracts", status_code=202)
def start_extract(project: UUID, wanted: ExtractIn) -> JobOut:
    """Extract raw files into a folder of their own."""
    stack = stored_stack(project)
    chosen = _chosen(wanted)
    totals = _totals(stack, chosen, every=wanted.versions == "all")
    if not totals.files:
        raise InputError(ErrorCode.NOT_FOUND, "the selection is empty", hint="Choose something to extract.")
    payload = (chosen | _manner(wanted)) | {
        "key": str(uuid4()),
        "png": wanted.png,
        "total": totals.files,
        "bytes": totals.size,
        "folder": str(extract_folder(wanted.name, uuid4())),
    }
    with session() as db:
        job = put_job(db, project, "extract", f"Extracting {wanted.name}", payload)
    return JobOut.model_validate(job_details(job))


@router.post("/jobs/{job}/pause")
def pause_job(job: UUID) -> JobOut:
    """Ask an extraction to stop where it is; what is written stays."""
    with session() as db:
        found = db.get(Job, job, with_for_update=True)
        if found is None or found.kind != "extract":
            raise not_found("extraction")
        if found.status in {"queued", "running"}:
            status = "paused" if found.status == "queued" else found.status
            change_job(db, job, cancel=True, status=status, payload=found.payload | {"pause": True})
        return JobOut.model_validate(job_details(found))


@router.post("/jobs/{job}/resume")
def resume_job(job: UUID) -> JobOut:
    """Go on with an extraction that was paused, stopped or failed."""
    with session() as db:
        found = db.get(Job, job, with_for_update=True)
        if found is None or found.kind != "extract":
            raise not_found("extraction")
        if found.status in {"paused", "failed", "cancelled"}:
            payload = {k: v for k, v in found.payload.items() if k != "pause"}
            put_again(db, found, attempts=0, payload=payload)
    return JobOut.model_validate(job_details(found))


@router.delete("/jobs/{job}/extracted", status_code=204)
def remove_extracted(job: UUID) -> None:
    """Remove what an extraction wrote, once it does not run; its folder is one of ours."""
    with session() as db:
        found = db.get(Job, job)
        if found is None or found.kind != "extract":
            raise not_found("extraction")
        if found.status in ACTIVE:
            raise UsageError(
                ErrorCode.USAGE, "this extraction still runs", expected="one that has ended or was stopped"
            )
        folder = Path(found.payload["folder"]).resolve()
        if folder.is_relative_to(settings().extracts.resolve()) and folder != settings().extracts.resolve():
            shutil.rmtree(folder, ignore_errors=True)
        change_job(
            db,
            job,
            away=True,
            payload=found.payload | {"done": 0, "written": 0, "failed": 0, "faults": [], "gone": True},
        )


@router.post("/projects/{project}/zips")
def prepare_zip(project: UUID, wanted: ExtractIn) -> ZipOut:
    """Note a selection, however long, so that a plain link can stream it as one zip."""
    chosen = _chosen(wanted) | _manner(wanted) | {"name": wanted.name}
    note = _NOTE + orjson.dumps(chosen, option=orjson.OPT_SORT_KEYS)
    key = hashlib.blake2b(note, digest_size=16, person=b"zip").hexdigest()
    put_blob(key, note)
    return ZipOut(address=f"/api/projects/{project}/zips/{key}")


@router.get("/projects/{project}/zips/{key}", response_class=StreamingResponse, responses=gives("application/zip"))
def stream_zip(project: UUID, key: Word) -> StreamingResponse:
    """A noted selection as one zip, made by a process beside this one while it is sent."""
    note = find_blob(key)
    if note is None or not note.startswith(_NOTE):
        raise not_found("selection")
    stored_stack(project)
    noted = orjson.loads(note[len(_NOTE) :])
    headers = {
        "Content-Disposition": f"attachment; filename*=UTF-8''{quote(safe_part(noted['name'].replace('/', '-')))}.zip"
    }
    return StreamingResponse(_passed_on(project, key), media_type="application/zip", headers=headers)


def _passed_on(project: UUID, key: str) -> Iterator[bytes]:
    command = [sys.executable, "-m", unpacking.__name__, str(project), key, str(os.getpid())]
    with subprocess.Popen(command, stdout=subprocess.PIPE) as process:  # noqa: S603 - our own program
        assert process.stdout is not None
        try:
            while piece := process.stdout.read(_PIECE):
                yield piece
        finally:
            process.kill()
