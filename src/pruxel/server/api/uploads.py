"""Sending files through the page: in pieces, any size, resumable."""

from __future__ import annotations

import hashlib
import json
import re
from pathlib import Path
from uuid import UUID

from fastapi import APIRouter, Request

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.sources.names import safe_path
from pruxel.server.api.source_models import UploadIn, UploadOut
from pruxel.server.settings import settings
from pruxel.server.store.missing import not_found

router = APIRouter(tags=["uploads"])
_ID = re.compile(r"^[0-9a-f]{32}$")


def _home(project: UUID) -> Path:
    return settings().uploads / str(project)


def _paths(project: UUID, upload: str) -> tuple[Path, Path]:
    if not _ID.match(upload):
        raise not_found("upload")
    return _home(project) / f".{upload}.part", _home(project) / f".{upload}.json"


def _out(project: UUID, upload: str) -> UploadOut:
    part, about = _paths(project, upload)
    if not about.is_file():
        raise not_found("upload")
    told = json.loads(about.read_text())
    target = _home(project) / told["name"]
    done = not part.is_file() and target.is_file()
    have = told["size"] if done else part.stat().st_size
    return UploadOut(id=upload, name=told["name"], size=told["size"], have=have, path=str(target) if done else None)


@router.post("/projects/{project}/uploads", status_code=201)
def start_upload(project: UUID, wanted: UploadIn) -> UploadOut:
    """Begin, or go on with, a file of this name and size. A folder's file has its folders in the name."""
    name = safe_path(wanted.name)
    upload = hashlib.blake2b(f"{name}|{wanted.size}".encode(), digest_size=16).hexdigest()
    part, about = _paths(project, upload)
    target = _home(project) / name
    if target.is_file() and target.stat().st_size == wanted.size and about.is_file() and not part.is_file():
        return _out(project, upload)
    part.parent.mkdir(parents=True, exist_ok=True)
    about.write_text(json.dumps({"name": name, "size": wanted.size}))
    part.touch()
    if wanted.size == 0:
        _finish(part, target)
    return _out(project, upload)


def _finish(part: Path, target: Path) -> None:
    target.parent.mkdir(parents=True, exist_ok=True)
    part.replace(target)


@router.put("/projects/{project}/uploads/{upload}")
async def send_piece(project: UUID, upload: str, offset: int, request: Request) -> UploadOut:
    """Bytes of the file from `offset` on; refused when that is not where the file so far ends."""
    part, _ = _paths(project, upload)
    told = _out(project, upload)
    if told.path is not None:
        return told
    if offset != told.have:
        raise InputError(
            ErrorCode.CONFLICT,
            "this is not the next piece",
            file=told.name,
            offset=offset,
            expected=f"bytes from {told.have:,}",
            found=f"bytes from {offset:,}",
        )
    with part.open("ab") as file:
        async for piece in request.stream():
            if file.tell() + len(piece) > told.size:
                raise InputError(
                    ErrorCode.CONFLICT, "more was sent than the file is long", file=told.name, expected=f"{told.size:,}"
                )
            file.write(piece)
    if part.stat().st_size == told.size:
        _finish(part, _home(project) / told.name)
    return _out(project, upload)
