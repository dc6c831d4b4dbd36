"""Sending files through the page: in pieces that are checked, any size, resumable.

A file lies where its name says only when it is whole. Until then its pieces, and what is known of it, lie in a folder
of our own that no name can reach.
"""

from __future__ import annotations

import base64
import binascii
import fcntl
import hashlib
import hmac
import json
import os
import re
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Header, Query, Request

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.base.writing import cannot_write, make_folder, write_below
from pruxel.core.disk.below import find_below
from pruxel.core.disk.names import safe_path
from pruxel.server.api.limits import LARGEST, Word
from pruxel.server.api.source_models import UploadIn, UploadOut
from pruxel.server.settings import settings
from pruxel.server.store.database import session
from pruxel.server.store.missing import not_found
from pruxel.server.store.projects import project_by_id

router = APIRouter(tags=["uploads"])
_ID = re.compile(r"^[0-9a-f]{32}$")
_DIGEST = re.compile(r"(?:^|,)\s*sha-256=:([A-Za-z0-9+/=]{44}):")


def _home(project: UUID) -> Path:
    return settings().uploads / str(project)


def _notes(project: UUID) -> Path:
    return settings().unfinished / str(project)


def _paths(project: UUID, upload: str) -> tuple[Path, Path]:
    if not _ID.match(upload):
        raise not_found("upload")
    return _notes(project) / f"{upload}.part", _notes(project) / f"{upload}.json"


def _out(project: UUID, upload: str) -> UploadOut:
    part, about = _paths(project, upload)
    if not about.is_file():
        raise not_found("upload")
    told = json.loads(about.read_text())
    target = find_below(_home(project), told["name"])
    done = not part.is_file() and target is not None and target.is_file()
    have = told["size"] if done else part.stat().st_size
    return UploadOut(id=upload, name=told["name"], size=told["size"], have=have, path=str(target) if done else None)


@router.post("/projects/{project}/uploads", status_code=201)
def start_upload(project: UUID, wanted: UploadIn) -> UploadOut:
    """Begin, or go on with, a file of this name and size. A folder's file has its folders in the name."""
    with session() as db:
        project_by_id(db, project)
    name = safe_path(wanted.name)
    upload = hashlib.blake2b(f"{name}|{wanted.size}".encode(), digest_size=16).hexdigest()
    part, about = _paths(project, upload)
    target = _home(project) / name
    if target.is_file() and target.stat().st_size == wanted.size and about.is_file() and not part.is_file():
        return _out(project, upload)
    make_folder(_notes(project))
    make_folder(_home(project))
    try:
        text = json.dumps({"name": name, "size": wanted.size}).encode()
        write_below(_notes(project), about.name, [text])
        part.touch(mode=0o600)
        if wanted.size == 0:
            _finish(part, target)
    except OSError as error:
        raise cannot_write(error, name) from error
    return _out(project, upload)


def _finish(part: Path, target: Path) -> None:
    """Put a whole file in its place; raises `InputError` where another file or a folder stands in the way."""
    make_folder(target.parent)
    if target.is_dir():
        raise InputError(
            ErrorCode.CONFLICT, "a folder of this name was sent before", file=target.name, hint="Rename the file."
        )
    part.replace(target)


@router.put("/projects/{project}/uploads/{upload}")
async def send_piece(
    project: UUID,
    upload: Word,
    offset: Annotated[int, Query(ge=0, le=LARGEST)],
    request: Request,
    content_digest: Annotated[
        str, Header(max_length=1000, description="`sha-256=:…:` of the piece, as in RFC 9530")
    ] = "",
) -> UploadOut:
    """Bytes of the file from `offset` on, kept when their digest fits; refused when the file so far ends elsewhere.

    One page at a time sends a file.
    """
    part, _ = _paths(project, upload)
    told = _out(project, upload)
    if told.path is not None:
        return told
    expected = _digest_of(content_digest, told.name)
    data = bytearray()
    async for piece in request.stream():
        data += piece
        if offset + len(data) > told.size:
            raise InputError(
                ErrorCode.CONFLICT, "more was sent than the file is long", file=told.name, expected=f"{told.size:,}"
            )
    if not hmac.compare_digest(hashlib.sha256(data).digest(), expected):
        raise InputError(
            ErrorCode.CHECKSUM, "the piece was changed on its way", file=told.name, offset=offset, hint="Send it again."
        )
    with _alone(part, told.name) as handle:
        have = os.fstat(handle).st_size
        if offset != have:
            raise InputError(
                ErrorCode.CONFLICT,
                "this is not the next piece",
                file=told.name,
                offset=offset,
                expected=f"bytes from {have:,}",
                found=f"bytes from {offset:,}",
            )
        _append(handle, have, bytes(data), told.name)
        if have + len(data) == told.size:
            try:
                _finish(part, _home(project) / told.name)
            except OSError as error:
                raise cannot_write(error, told.name) from error
    return _out(project, upload)


def _digest_of(header: str, name: str) -> bytes:
    found = _DIGEST.search(header)
    if found is None:
        raise InputError(
            ErrorCode.USAGE,
            "a piece comes with its digest",
            file=name,
            field="Content-Digest",
            expected="sha-256=:…: with the SHA-256 of the piece in Base64",
        )
    try:
        return base64.b64decode(found[1], validate=True)
    except binascii.Error:
        return b""  # which is nobody's digest


@contextmanager
def _alone(part: Path, name: str) -> Iterator[int]:
    """The unfinished file, held so that nobody else writes to it meanwhile."""
    try:
        handle = os.open(part, os.O_RDWR | os.O_NOFOLLOW | os.O_CLOEXEC)
    except FileNotFoundError:  # another page has just sent the last piece
        raise InputError(ErrorCode.CONFLICT, "this file is whole already", file=name) from None
    try:
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            raise InputError(
                ErrorCode.CONFLICT, "another page sends this file", file=name, hint="Wait for it to end."
            ) from None
        yield handle
    finally:
        os.close(handle)


def _append(handle: int, at: int, data: bytes, name: str) -> None:
    """Write a piece and let the disk have it before it is acknowledged; nothing of it stays when there is no room."""
    try:
        view = memoryview(data)
        while view:
            view = view[os.pwrite(handle, view, at + len(data) - len(view)) :]
        os.fdatasync(handle)
    except OSError as error:
        os.ftruncate(handle, at)
        raise cannot_write(error, name) from error
