"""Taking raw files out: into a folder, with pause and resume, or as one stream."""

from __future__ import annotations

import hashlib
import shutil
import zipfile
from collections.abc import Iterator
from typing import Any
from urllib.parse import quote
from uuid import UUID, uuid4

import orjson
from fastapi import APIRouter
from fastapi.responses import StreamingResponse
from sqlalchemy import func, select, text

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.sources.names import safe_part
from pruxel.server.api.browse_models import CollisionOut, ExtractIn, HolderOut, SelectionIn, SelectionOut, ZipOut
from pruxel.server.api.models import JobOut
from pruxel.server.jobs.extract import extract_folder, named_rows
from pruxel.server.jobs.queue import put_job, send
from pruxel.server.jobs.stacks import StoredStack, stored_stack
from pruxel.server.settings import settings
from pruxel.server.store.blobs import find_blob, put_blob
from pruxel.server.store.collisions import collisions
from pruxel.server.store.conditions import Query, condition_of
from pruxel.server.store.database import session
from pruxel.server.store.jobs import change_job, job_event
from pruxel.server.store.missing import not_found
from pruxel.server.store.tables import EntryRow, Job

router = APIRouter(tags=["extracts"])
_NOTE = b"selection "  # tells a noted selection from the other blobs
_FIELDS = set(Query.__dataclass_fields__)


def _chosen(wanted: SelectionIn) -> dict[str, Any]:
    """The part of a job's payload that says which entries."""
    if wanted.paths:
        return {"paths": wanted.paths}
    if wanted.query is None:
        raise InputError(ErrorCode.USAGE, "nothing is chosen", hint="Pick entries, or give a search.")
    known = {("words" if name == "search" else name): value for name, value in wanted.query.items()}
    query = Query(**{name: value for name, value in known.items() if name in _FIELDS and value is not None})
    return {"query": {name: getattr(query, name) for name in _FIELDS} | {"sort": "path", "down": False}}


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
    send(job)
    return JobOut.model_validate(job_event(job))


@router.post("/jobs/{job}/pause")
def pause_job(job: UUID) -> JobOut:
    """Ask an extraction to stop where it is; what is written stays."""
    with session() as db:
        found = db.get(Job, job)
        if found is None or found.kind != "extract":
            raise not_found("extraction")
        if found.status in {"queued", "running"}:
            status = "paused" if found.status == "queued" else found.status
            change_job(db, job, cancel=True, status=status, payload=found.payload | {"pause": True})
        return JobOut.model_validate(job_event(found))


@router.post("/jobs/{job}/resume")
def resume_job(job: UUID) -> JobOut:
    """Go on with an extraction that was paused, stopped or failed."""
    with session() as db:
        found = db.get(Job, job)
        if found is None or found.kind != "extract":
            raise not_found("extraction")
        if found.status in {"paused", "failed", "cancelled"}:
            payload = {k: v for k, v in found.payload.items() if k != "pause"}
            change_job(db, job, cancel=False, status="queued", attempts=0, payload=payload, fault=None)
    send(found)
    return JobOut.model_validate(job_event(found))


class _Sink:
    """A file that only hands on what is written to it."""

    def __init__(self) -> None:
        self.pieces: list[bytes] = []
        self._at = 0

    def write(self, data: bytes) -> int:
        """Keep a piece until it is sent."""
        self.pieces.append(bytes(data))
        self._at += len(data)
        return len(data)

    def tell(self) -> int:
        """How much was written."""
        return self._at

    def flush(self) -> None:
        """Nothing waits."""

    def close(self) -> None:
        """Nothing to close."""

    def seek(self, offset: int, whence: int = 0, /) -> int:
        """A stream cannot go back; the archive's writer then leaves sizes to trailers."""
        raise OSError(29, f"cannot seek to {offset} ({whence})")

    def taken(self) -> bytes:
        """What was written since the last time."""
        found = b"".join(self.pieces)
        self.pieces.clear()
        return found


def _stream(stack: StoredStack, chosen: dict[str, Any]) -> Iterator[bytes]:
    sink = _Sink()
    faults = []
    with zipfile.ZipFile(sink, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        for row, name in named_rows(stack, chosen):
            try:
                data = stack.read_row(row, Context())
            except InputError as error:
                faults.append(error.fault.line())
                continue
            with archive.open(zipfile.ZipInfo(name), "w") as target:
                for at in range(0, len(data), 1 << 20):
                    target.write(data[at : at + (1 << 20)])
                    yield sink.taken()
        if faults:
            archive.writestr(zipfile.ZipInfo("not extracted.txt"), "\n".join(faults))
    yield sink.taken()


@router.post("/projects/{project}/zips")
def prepare_zip(project: UUID, wanted: ExtractIn) -> ZipOut:
    """Note a selection, however long, so that a plain link can stream it as one zip."""
    chosen = _chosen(wanted) | _manner(wanted) | {"name": wanted.name}
    note = _NOTE + orjson.dumps(chosen, option=orjson.OPT_SORT_KEYS)
    key = hashlib.blake2b(note, digest_size=16, person=b"zip").hexdigest()
    put_blob(key, note)
    return ZipOut(address=f"/api/projects/{project}/zips/{key}")


@router.get("/projects/{project}/zips/{key}", response_class=StreamingResponse)
def stream_zip(project: UUID, key: str) -> StreamingResponse:
    """A noted selection as one zip, made while it is sent."""
    stack = stored_stack(project)
    note = find_blob(key)
    if note is None or not note.startswith(_NOTE):
        raise not_found("selection")
    noted = orjson.loads(note[len(_NOTE) :])
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{quote(safe_part(noted['name']))}.zip"}
    return StreamingResponse(_stream(stack, noted), media_type="application/zip", headers=headers)
