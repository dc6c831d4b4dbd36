"""Content hashes: equal content, equal hash, in any process.

The hash of a value is made of the hashes of what it consists of, and each array and each frozen value is hashed once
while it lives. The hash of a scene therefore costs what is new in it.
"""

from __future__ import annotations

import hashlib
import weakref
from collections.abc import Callable
from dataclasses import fields, is_dataclass
from functools import cache
from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray

_KNOWN: dict[int, tuple[weakref.ref[Any], bytes]] = {}
# Where something came from is not what it is.
_NOT_CONTENT = frozenset({"origin"})


def digest(value: object) -> str:
    """The hash, 32 hexadecimal digits, of a scene or anything that scenes are made of, its origins left out."""
    return _hash_of(value).hex()


def remember_digest(value: AnyArray, known: str) -> None:
    """Spare an array that was fetched by its hash from being hashed again."""
    _remember(value, bytes.fromhex(known))


def _hash_of(value: object) -> bytes:
    if isinstance(value, np.ndarray):
        return _once(value, _hash_array)
    if is_dataclass(value):
        return _once(value, _hash_fields)
    if isinstance(value, tuple):
        return _hashed(b"(", *(_hash_of(item) for item in value))
    if isinstance(value, bytes):
        return _hashed(b"b", value)
    return _hashed(f"{type(value).__name__}:{value!r}".encode())


def _once(value: Any, make: Callable[[Any], bytes]) -> bytes:  # noqa: ANN401
    found = _KNOWN.get(id(value))
    if found is not None and found[0]() is value:
        return found[1]
    made = make(value)
    _remember(value, made)
    return made


def _remember(value: Any, made: bytes) -> None:  # noqa: ANN401
    key = id(value)

    def forget(gone: weakref.ref[Any]) -> None:
        known = _KNOWN.get(key)
        if known is not None and known[0] is gone:
            del _KNOWN[key]

    _KNOWN[key] = (weakref.ref(value, forget), made)


def _hashed(*pieces: bytes | memoryview) -> bytes:
    state = hashlib.blake2b(digest_size=16)
    for piece in pieces:
        state.update(piece)
    return state.digest()


def _hash_array(value: AnyArray) -> bytes:
    body = np.ascontiguousarray(value).reshape(-1).view(np.uint8).data if value.size else b""
    return _hashed(f"{value.dtype.str}{value.shape}".encode(), body)


@cache
def _content_fields(kind: type) -> tuple[tuple[str, bytes], ...]:
    return tuple((item.name, item.name.encode()) for item in fields(kind) if item.name not in _NOT_CONTENT)


def _hash_fields(value: Any) -> bytes:  # noqa: ANN401
    pieces = [type(value).__name__.encode()]
    for name, label in _content_fields(type(value)):  # type: ignore[arg-type]
        pieces += [b"|", label, b"=", _hash_of(getattr(value, name))]
    return _hashed(*pieces)
