"""Every index that a value of the scene holds, declared once beside its field and walked in one place.

A field says what it points at with `points_to`. Merging, keeping, sharing and checking use only this walk, so a field
that is added cannot be forgotten by any of them.
"""

from __future__ import annotations

import dataclasses
import typing
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, is_dataclass, replace
from functools import cache
from typing import Any, Literal, TypeVar

Table = Literal["nodes", "meshes", "materials", "textures", "images", "skins", "cameras", "lights"]
TABLES: tuple[Table, ...] = typing.get_args(Table)
# Indices by table: where each kept item goes. A table that is absent stays as it is.
Maps = Mapping[Table, Mapping[int, int]]
V = TypeVar("V")
_KEY = "points_to"


@dataclass(frozen=True)
class Pointer:
    """What a field's numbers are indices of. What is `held` stays when its holder stays.

    A joint's clip does not hold it.
    """

    table: Table
    held: bool = True


@dataclass(frozen=True)
class _Place:
    """One field to walk: a pointer, or a value (or tuple of values) that may have pointers inside."""

    name: str
    pointer: Pointer | None
    optional: bool


def points_to(table: Table, *, held: bool = True) -> dict[str, Any]:
    """Metadata of a dataclass field whose number, or tuple of numbers, are indices into a table of the scene."""
    return {_KEY: Pointer(table, held)}


@cache
def _places(kind: type) -> tuple[_Place, ...]:
    hints = typing.get_type_hints(kind)
    found = []
    for item in dataclasses.fields(kind):
        pointer = item.metadata.get(_KEY)
        hint = hints[item.name]
        if pointer is not None or any(_places(inner) for inner in _dataclasses_in(hint)):
            found.append(_Place(item.name, pointer, type(None) in typing.get_args(hint)))
    return tuple(found)


def _dataclasses_in(hint: Any) -> Iterator[type]:  # noqa: ANN401
    if isinstance(hint, type) and is_dataclass(hint):
        yield hint
    for inner in typing.get_args(hint):
        yield from _dataclasses_in(inner)


def references(value: object) -> Iterator[tuple[str, Pointer, int]]:
    """All indices that a value and what it consists of hold: the field's dotted path, what it points at, the number."""
    for place in _places(type(value)):  # type: ignore[arg-type]
        inside = getattr(value, place.name)
        for item in inside if isinstance(inside, tuple) else (inside,):
            if item is None:
                continue
            if place.pointer is not None:
                yield place.name, place.pointer, item
            else:
                yield from ((f"{place.name}.{inner}", to, index) for inner, to, index in references(item))


def remapped(value: V, maps: Maps) -> V | None:
    """The value with its indices renumbered; what did not change is the same object.

    An index that its map does not have is gone: it leaves its tuple, an optional field becomes None, and a value that
    cannot be without it is gone itself (None).
    """
    changes: dict[str, Any] = {}
    for place in _places(type(value)):  # type: ignore[arg-type]
        inside = getattr(value, place.name)
        if inside is None or inside == ():
            continue
        if isinstance(inside, tuple):
            new: Any = tuple(x for item in inside if (x := _moved(item, place, maps)) is not None)
            if len(new) == len(inside) and all(a is b or a == b for a, b in zip(new, inside, strict=True)):
                continue
        else:
            new = _moved(inside, place, maps)
            if new is None and not place.optional:
                return None
            if new is inside or new == inside:
                continue
        changes[place.name] = new
    return replace(value, **changes) if changes else value  # type: ignore[type-var]


def _moved(item: Any, place: _Place, maps: Maps) -> Any:  # noqa: ANN401
    if place.pointer is None:
        return remapped(item, maps)
    table = maps.get(place.pointer.table)
    return item if table is None else table.get(item)
