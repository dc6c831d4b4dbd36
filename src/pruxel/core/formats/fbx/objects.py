"""The objects of an FBX document, what they are called, what hangs on what, and their properties.

Versions from 7000 on number their objects; earlier ones know them by their names.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.formats.fbx.elements import Element

Key = int | str
_ROOTS: tuple[Key, ...] = (0, "Model::Scene", "Scene")
_NUMBERED = 7000
_LARGEST = 1e15  # beyond this a property is no number of a scene


@dataclass(frozen=True, eq=False)
class Thing:
    """One object: `kind` is its class (Model, Geometry, …), `sort` what of that class it is (Mesh, LimbNode, …)."""

    key: Key
    kind: str
    name: str
    sort: str
    element: Element
    properties: dict[str, list[Any]]

    def number(self, name: str, default: float) -> float:
        """A property that is a number."""
        values = self.numbers(name, (default,))
        return values[0] if values else default

    def numbers(self, name: str, default: Sequence[float]) -> tuple[float, ...]:
        """A property that is a row of as many numbers as the default has; the default where it is not."""
        found = self.properties.get(name)
        if found is None or len(found) < len(default):
            return tuple(default)
        try:
            values = tuple(float(value) for value in found[: len(default)])
        except (TypeError, ValueError, OverflowError):
            return tuple(default)
        return values if all(abs(value) < _LARGEST for value in values) else tuple(default)

    def text(self, name: str) -> str:
        """A property, or a node right below, that is a text."""
        found = self.properties.get(name) or (
            list(below.properties) if (below := self.element.first(name)) is not None else []
        )
        return found[0] if found and isinstance(found[0], str) else ""


@dataclass(eq=False)
class Objects:
    """All objects by key; `below` and `above` list for each what is connected, with the property that it hangs on."""

    version: int
    settings: Thing
    things: dict[Key, Thing] = field(default_factory=dict)
    below: dict[Key, list[tuple[Key, str]]] = field(default_factory=dict)
    above: dict[Key, list[tuple[Key, str]]] = field(default_factory=dict)

    def all(self, kind: str) -> Iterator[Thing]:
        """All objects of a class in the order of the file."""
        return (thing for thing in self.things.values() if thing.kind == kind)

    def under(self, thing: Thing, kind: str, sort: str | None = None) -> Iterator[Thing]:
        """Objects of a class that hang on one."""
        for key, _ in self.below.get(thing.key, ()):
            found = self.things.get(key)
            if found is not None and found.kind == kind and (sort is None or found.sort == sort):
                yield found

    def over(self, thing: Thing, kind: str) -> Iterator[tuple[Thing, str]]:
        """Objects of a class on which one hangs, with the property."""
        for key, slot in self.above.get(thing.key, ()):
            found = self.things.get(key)
            if found is not None and found.kind == kind:
                yield found, slot


def objects_of(top: Sequence[Element], version: int) -> Objects:
    """The objects of a document."""
    sections = {element.name: element for element in top}
    templates = _templates(sections.get("Definitions"))
    settings = sections.get("GlobalSettings", Element("GlobalSettings"))
    found = Objects(version, Thing(0, "GlobalSettings", "", "", settings, _properties(settings)))
    for element in _children(sections.get("Objects")):
        thing = _thing(element, version, templates.get(element.name, {}))
        if thing is not None and thing.key not in found.things:
            found.things[thing.key] = thing
    if version < _NUMBERED and "GlobalSettings" not in sections:
        older = next((e for e in _children(sections.get("Objects")) if e.name == "GlobalSettings"), None)
        if older is not None:
            found.settings = Thing(0, "GlobalSettings", "", "", older, _properties(older))
    for element in _children(sections.get("Connections")):
        values = list(element.properties)
        if len(values) < 3 or values[0] not in {"OO", "OP"}:
            continue
        child, parent = values[1], values[2]
        if not (isinstance(child, int | str) and isinstance(parent, int | str)):
            continue
        slot = str(values[3]) if len(values) > 3 else ""
        found.below.setdefault(parent, []).append((child, slot))
        found.above.setdefault(child, []).append((parent, slot))
    return found


def is_root(key: Key) -> bool:
    """Whether a key is that of the scene itself."""
    return key in _ROOTS


def _children(element: Element | None) -> list[Element]:
    return [] if element is None else element.children


def _thing(element: Element, version: int, defaults: dict[str, list[Any]]) -> Thing | None:
    values = list(element.properties)
    if version >= _NUMBERED:
        if not values or isinstance(values[0], bool) or not isinstance(values[0], int):
            return None
        key: Key = values[0]
        values = values[1:]
    else:
        if not values or not isinstance(values[0], str):
            return None
        key = values[0]
    texts = [value for value in values if isinstance(value, str)]
    name = plain_name(texts[0]) if texts else ""
    return Thing(key, element.name, name, texts[1] if len(texts) > 1 else "", element, defaults | _properties(element))


def plain_name(text: str) -> str:
    """The name without its class, which stands behind a mark in binary files, before one in text."""
    name, mark, _ = text.partition("\x00\x01")
    if not mark and "::" in text:
        name = text.rpartition("::")[2]
    return name.strip("\x00")


def _properties(element: Element) -> dict[str, list[Any]]:
    """The table of an object: names with their values."""
    found: dict[str, list[Any]] = {}
    for table in element.children:
        if table.name in {"Properties70", "Properties60"}:
            skipped = 4 if table.name == "Properties70" else 3
            for row in table.children:
                values = list(row.properties)
                if values and isinstance(values[0], str):
                    found[values[0]] = flat(values[skipped:])
    return found


def flat(values: list[Any]) -> list[Any]:
    """Rows of numbers that a text file has run together count one by one."""
    return [one for value in values for one in (value.tolist() if isinstance(value, np.ndarray) else [value])]


def _templates(definitions: Element | None) -> dict[str, dict[str, list[Any]]]:
    """What objects of a class have where they do not say it."""
    found = {}
    for kind in _children(definitions):
        name = next(iter(kind.properties), None)
        template = kind.first("PropertyTemplate")
        if kind.name == "ObjectType" and isinstance(name, str) and template is not None:
            found[name] = _properties(template)
    return found


def array(element: Element | None, name: str) -> AnyArray:
    """The numbers of a node below one, as one row; none where there are none."""
    found = None if element is None else element.first(name)
    if found is None:
        return np.zeros(0)
    pieces = [np.atleast_1d(p) for p in found.properties if isinstance(p, np.ndarray | int | float)]
    return pieces[0] if len(pieces) == 1 else np.concatenate(pieces) if pieces else np.zeros(0)


def whole(element: Element | None, name: str) -> AnyArray:
    """The same as whole numbers, int64; what is none is 0."""
    values = array(element, name)
    if values.dtype.kind == "f":
        values = np.nan_to_num(np.clip(values, -(2.0**53), 2.0**53))
    return values.astype(np.int64, copy=False)


def said(element: Element | None, name: str) -> str:
    """The text of a node below one."""
    found = None if element is None else element.first(name)
    return next((p for p in found.properties if isinstance(p, str)), "") if found is not None else ""
