"""Nodes of X3D and VRML as both encodings give them: a kind, values as they are written, nodes below."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray, usable_rows
from pruxel.core.formats.xml import numbers_in

_STRING = re.compile(r'"((?:[^"\\]|\\.)*)"', re.DOTALL)
_ESCAPED = re.compile(r"\\(.)", re.DOTALL)


@dataclass(eq=False, slots=True)
class Thing:
    """A node: what kind it is, its name (DEF), values by field, nodes below in order, and its line."""

    kind: str
    name: str
    file: str
    line: int
    values: dict[str, str] = field(default_factory=dict)
    below: list[tuple[str, Thing]] = field(default_factory=list)

    def inner(self, *kinds: str) -> Thing | None:
        """The first node below of one of these kinds."""
        return next((thing for _, thing in self.below if thing.kind in kinds), None)

    def held(self, *names: str) -> Iterator[Thing]:
        """The nodes below in fields of these names."""
        return (thing for name, thing in self.below if name in names)

    def numbers(self, key: str, default: tuple[float, ...] = ()) -> DoubleArray:
        """(n,) the numbers of a field; the default where it has not as many."""
        text = self.values.get(key)
        found = np.zeros(0) if text is None else numbers_in(text.replace(",", " "), self.file, self.line)
        if len(found) < len(default):
            return np.array(default, np.float64)
        if default and not usable_rows(found[None]).all():
            return np.array(default, np.float64)
        return found[: len(default)] if default else found

    def number(self, key: str, default: float) -> float:
        """One number of a field."""
        return float(self.numbers(key, (default,))[0])

    def rows(self, key: str, width: int) -> DoubleArray:
        """(n, width) the numbers of a field, by rows."""
        flat = self.numbers(key)
        return flat[: len(flat) // width * width].reshape(-1, width)

    def indices(self, key: str) -> AnyArray:
        """(n,) int64 whole numbers of a field."""
        found = self.numbers(key)
        with np.errstate(invalid="ignore"):
            return np.where(np.abs(found) < 2**31, found, -1).astype(np.int64)

    def flag(self, key: str, *, default: bool) -> bool:
        """True or false."""
        return {"true": True, "false": False}.get(self.values.get(key, "").strip().strip('"').lower(), default)

    def texts(self, key: str) -> list[str]:
        """The texts of a field: between quotes, or, without any, the whole."""
        text = self.values.get(key, "").strip()
        quoted = [_ESCAPED.sub(r"\1", one) for one in _STRING.findall(text)]
        return quoted or ([text] if text else [])


@dataclass(frozen=True)
class Route:
    """What a field of one node sends to a field of another, by their names."""

    source: str
    output: str
    target: str
    input: str


@dataclass(eq=False)
class World:
    """All of a file: the nodes at the top, the named ones, and the routes between them."""

    top: list[Thing] = field(default_factory=list)
    named: dict[str, Thing] = field(default_factory=dict)
    routes: list[Route] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    metres: float = 1.0
