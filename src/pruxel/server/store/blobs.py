"""The content-addressed blob store behind fsspec."""

from __future__ import annotations

import re
from functools import lru_cache
from typing import Any

import fsspec

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


def put_blob(key: str, data: bytes) -> None:
    """Store bytes under a key, whole or not at all."""
    system, path = _store()[0], _path(key)
    system.makedirs(path.rsplit("/", 1)[0], exist_ok=True)
    system.pipe_file(f"{path}.partial", data)
    system.mv(f"{path}.partial", path)


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
