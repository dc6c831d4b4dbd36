"""The content-addressed blob store behind fsspec."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import suppress
from functools import lru_cache
from typing import Any
from uuid import uuid4

import fsspec

from pruxel.core.base.arrays import Bytes
from pruxel.core.base.writing import cannot_write
from pruxel.server.settings import settings

_KEY = re.compile(r"^[0-9a-z]{16,80}$")


@lru_cache(maxsize=1)
def _store() -> tuple[Any, str]:
    system, root = fsspec.core.url_to_fs(settings().blobs)
    system.makedirs(root, exist_ok=True)
    return system, root


def _path(key: str) -> str:
    return f"{_store()[1]}/{key[:2]}/{key}"


def has_blob(key: str) -> bool:
    """Whether a blob is stored."""
    return bool(_store()[0].exists(_path(key)))


def put_blob(key: str, data: Bytes) -> None:
    """Store bytes under a key, whole or not at all; raises `InputError` when the disk does not take them."""
    system, path = _store()[0], _path(key)
    partial = f"{path}.{uuid4().hex[:8]}.partial"
    try:
        system.makedirs(path.rsplit("/", 1)[0], exist_ok=True)
        with system.open(partial, "wb") as file:
            file.write(data)
        system.mv(partial, path)
    except OSError as error:
        with suppress(OSError):
            system.rm_file(partial)
        raise cannot_write(error, "the store of pictures and scenes") from error


def find_blob(key: str) -> bytes | None:
    """The bytes under a key that came from outside; None when it is no key, or nothing is stored."""
    try:
        return get_blob(key) if _KEY.match(key) else None
    except FileNotFoundError:
        return None


def get_blob(key: str) -> bytes:
    """The bytes; raises FileNotFoundError."""
    data: bytes = _store()[0].cat_file(_path(key))
    return data


def all_blobs() -> Iterator[tuple[str, int, float]]:
    """Every stored blob: its key, its size in bytes, and when it was written, in seconds since 1970."""
    system, root = _store()
    for folder in system.ls(root, detail=False):
        for found in system.ls(folder, detail=True):
            changed = found.get("mtime") or found.get("LastModified") or 0.0
            seconds = changed if isinstance(changed, int | float) else changed.timestamp()
            yield str(found["name"]).rsplit("/", 1)[-1], int(found["size"] or 0), float(seconds)


def drop_blob(key: str) -> None:
    """Remove a blob; nothing happens when it is gone already."""
    try:
        _store()[0].rm_file(_path(key))
    except FileNotFoundError:
        return
