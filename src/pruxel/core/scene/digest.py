"""The content hash of a scene: equal content, equal hash, in any process."""

from __future__ import annotations

import hashlib
from dataclasses import fields, is_dataclass
from functools import singledispatch
from typing import Any

import numpy as np

from pruxel.core.scene.model import Scene


def digest(scene: Scene) -> str:
    """Compute the hash of all content except origins (where it came from is not what it is)."""
    state = hashlib.blake2b(digest_size=16)
    _feed(scene, state)
    return state.hexdigest()


@singledispatch
def _feed(value: Any, state: Any) -> None:  # noqa: ANN401 - any leaf of the model
    if is_dataclass(value):
        state.update(type(value).__name__.encode())
        for item in fields(value):
            if item.name != "origin":
                state.update(item.name.encode())
                _feed(getattr(value, item.name), state)
        return
    state.update(f"{type(value).__name__}:{value!r};".encode())


@_feed.register
def _feed_tuple(value: tuple, state: Any) -> None:  # type: ignore[type-arg] # noqa: ANN401
    state.update(f"({len(value)}".encode())
    for item in value:
        _feed(item, state)


@_feed.register
def _feed_bytes(value: bytes, state: Any) -> None:  # noqa: ANN401
    state.update(f"b{len(value)}".encode())
    state.update(value)


@_feed.register
def _feed_array(value: np.ndarray, state: Any) -> None:  # noqa: ANN401
    state.update(f"{value.dtype.str}{value.shape}".encode())
    if value.size:
        state.update(np.ascontiguousarray(value).data)
