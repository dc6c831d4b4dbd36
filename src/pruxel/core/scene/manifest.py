"""A scene as a small manifest over blobs: one for each array, image and other run of bytes, named by its content.

The manifest is JSON: dataclasses as objects, an array as `{"blob", "dtype", "shape"}`, bytes as `{"blob", "size"}`.
It is made from the fields of the classes, so a field that is added to the model is stored without a word here.
"""

from __future__ import annotations

import dataclasses
import types
import typing
from collections.abc import Callable, Iterator
from dataclasses import is_dataclass
from functools import cache
from typing import Any

import numpy as np

from pruxel.core.base.arrays import Bytes, frozen
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.scene.digest import digest, remember_digest
from pruxel.core.scene.model import Scene

Json = dict[str, Any]
Fetch = Callable[[str], Bytes]
_CLASS = "_"


def manifest_of(scene: Scene) -> Json:
    """The JSON-able description of a scene, defaults left out; its arrays and bytes are named by `blobs_of`."""
    found: Json = _described(scene, _differing)
    return found


def complete_manifest(scene: Scene) -> Json:
    """The same with every field, for readers that do not know the defaults."""
    found: Json = _described(scene, _all_fields)
    return found


def _all_fields(value: Any) -> Iterator[tuple[str, Any]]:  # noqa: ANN401 - a dataclass of the model
    return ((name, getattr(value, name)) for name, _ in _defaults(type(value)))  # type: ignore[arg-type]


def _differing(value: Any) -> Iterator[tuple[str, Any]]:  # noqa: ANN401 - a dataclass of the model
    for name, default in _defaults(type(value)):  # type: ignore[arg-type]
        inside = getattr(value, name)
        if inside is not default and not _same(inside, default):
            yield name, inside


def _described(value: Any, fields_of: Callable[[Any], Iterator[tuple[str, Any]]]) -> Any:  # noqa: ANN401 - any leaf
    if isinstance(value, np.ndarray):
        return {"blob": digest(value), "dtype": value.dtype.str, "shape": list(value.shape)}
    if isinstance(value, bytes):
        return {"blob": digest(value), "size": len(value)}
    if isinstance(value, tuple):
        return [_described(item, fields_of) for item in value]
    if is_dataclass(value):
        return {_CLASS: type(value).__name__} | {name: _described(inner, fields_of) for name, inner in fields_of(value)}
    return value


def _same(value: object, default: object) -> bool:
    """Whether a plain value is its field's default; arrays and classes never are, nor is -0.0 where that is 0.0."""
    plain = isinstance(value, str | int | float | bool | tuple) and type(value) is type(default)
    return plain and value == default and repr(value) == repr(default)


@cache
def _defaults(kind: type) -> tuple[tuple[str, Any], ...]:
    return tuple((item.name, item.default) for item in dataclasses.fields(kind))


def blobs_of(scene: Scene) -> Iterator[tuple[str, Bytes]]:
    """Every blob of a scene once: its name and its bytes."""
    seen: set[str] = set()
    for value in _leaves(scene):
        name = digest(value)
        if name not in seen:
            seen.add(name)
            yield (
                name,
                value if isinstance(value, bytes) else np.ascontiguousarray(value).reshape(-1).view(np.uint8).data,
            )


def _leaves(value: Any) -> Iterator[Any]:  # noqa: ANN401 - any leaf of the model
    if isinstance(value, np.ndarray | bytes):
        yield value
    elif isinstance(value, tuple):
        for item in value:
            yield from _leaves(item)
    else:
        for name in _holding(type(value)):  # type: ignore[arg-type]
            yield from _leaves(getattr(value, name))


@cache
def _holding(kind: type) -> tuple[str, ...]:
    """The fields of a dataclass; what is none holds nothing."""
    return tuple(item.name for item in dataclasses.fields(kind)) if is_dataclass(kind) else ()


def bytes_of(scene: Scene) -> dict[int, int]:
    """How many bytes each array and run of bytes holds, by the identity of the object: what is shared counts once."""
    return {id(leaf): leaf.nbytes if isinstance(leaf, np.ndarray) else len(leaf) for leaf in _leaves(scene)}


def names_in(manifest: Any) -> Iterator[str]:  # noqa: ANN401 - any part of a manifest
    """The names of all blobs that a manifest mentions."""
    if isinstance(manifest, dict):
        if "blob" in manifest:
            yield manifest["blob"]
        else:
            for inside in manifest.values():
                yield from names_in(inside)
    elif isinstance(manifest, list):
        for inside in manifest:
            yield from names_in(inside)


def scene_from(manifest: Json, fetch: Fetch) -> Scene:
    """The scene that a manifest describes; raises `InputError` when a blob is not what the manifest says."""
    built = _built(manifest, Scene, fetch)
    assert isinstance(built, Scene)
    return built


@cache
def _classes(hint: Any) -> dict[str, type]:  # noqa: ANN401 - a type
    """The dataclasses that a type may stand for, by name."""
    if isinstance(hint, type) and is_dataclass(hint):
        return {hint.__name__: hint}
    return {name: kind for inner in typing.get_args(hint) for name, kind in _classes(inner).items()}


@cache
def _hints(kind: type) -> dict[str, Any]:
    return typing.get_type_hints(kind)


def _built(value: Any, hint: Any, fetch: Fetch) -> Any:  # noqa: ANN401 - any leaf of the model
    if isinstance(value, dict):
        if "dtype" in value:
            return _array(value, fetch)
        if "blob" in value:
            return bytes(fetch(value["blob"]))
        kind = _classes(hint)[value[_CLASS]]
        hints = _hints(kind)
        return kind(**{name: _built(inside, hints[name], fetch) for name, inside in value.items() if name != _CLASS})
    if isinstance(value, list):
        return tuple(_built(item, _inner(hint, place), fetch) for place, item in enumerate(value))
    return value


def _inner(hint: Any, place: int) -> Any:  # noqa: ANN401 - a type
    """The type of an item of a tuple, which may be one of several that the hint allows."""
    if typing.get_origin(hint) in {typing.Union, types.UnionType}:
        hint = next(h for h in typing.get_args(hint) if typing.get_origin(h) is tuple)
    args = typing.get_args(hint)
    return args[0] if len(args) == 2 and args[1] is Ellipsis else args[min(place, len(args) - 1)]


def _array(value: Json, fetch: Fetch) -> Any:  # noqa: ANN401 - an array of any type
    data, kind, shape = fetch(value["blob"]), np.dtype(value["dtype"]), tuple(value["shape"])
    if memoryview(data).nbytes != kind.itemsize * int(np.prod(shape, dtype=np.int64)):
        raise InputError(
            ErrorCode.CHECKSUM,
            "a stored array is not what its scene says",
            file=value["blob"],
            expected=f"{shape} of {kind}",
            found=f"{memoryview(data).nbytes:,} bytes",
            hint="The store is damaged; open the entries anew.",
        )
    array = frozen(np.frombuffer(data, kind).reshape(shape))
    remember_digest(array, value["blob"])
    return array
