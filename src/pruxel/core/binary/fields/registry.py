"""The types that a field can have: each knows how to read itself, how large it is, and what array it is.

A type is one module here that registers itself. What names a record, or an element type, is of the type that those
have in common.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass
from typing import Any

from pruxel.core.binary.elements import element
from pruxel.core.binary.reading import Reading, over_budget
from pruxel.core.binary.records import Record
from pruxel.core.binary.schema import FieldSpec, Layout


@dataclass(frozen=True)
class Fixed:
    """A field of constant size: bytes, its NumPy type (None: nothing to keep), and the encoding of a text."""

    size: int
    format: Any
    encoding: str | None = None


class FieldType(ABC):
    """One type of field. Values and the byte after their last come from `read` and `run`, both raise `InputError`."""

    @abstractmethod
    def read(self, reading: Reading, record: Record, spec: FieldSpec, at: int) -> tuple[Any, int]:
        """One value at byte `at`, and where it ends."""

    def run(self, reading: Reading, record: Record, spec: FieldSpec, at: int, count: int) -> tuple[Any, int]:
        """`count` values from byte `at` on, and where they end."""
        if count > len(reading.data):
            over_budget(reading, record, spec, at, count)
        items = []
        for _ in range(count):
            item, at = self.read(reading, record, spec, at)
            items.append(item)
        return items, at

    def fixed(self, spec: FieldSpec, layout: Layout) -> Fixed | None:
        """Its size and array type where they are the same in every file; None where they depend on values."""
        del spec, layout
        return None

    def build(self, value: Any, spec: FieldSpec, layout: Layout) -> bytes:  # noqa: ANN401
        """The bytes of a value: what `read` makes it of. Raises `ValueError` where that is not known."""
        del value, layout
        raise ValueError(f"fields of type '{spec.type}' are not written yet")


FIELD_TYPES: dict[str, FieldType] = {}


def register(name: str, kind: FieldType) -> None:
    """Make a type known under its name."""
    FIELD_TYPES[name] = kind


def field_type(name: str) -> FieldType:
    """The type of a field: one of its own name, of an element, or of a record."""
    return FIELD_TYPES.get(name) or FIELD_TYPES["<element>" if element(name) else "<record>"]


def constant_count(spec: FieldSpec) -> int | None:
    """How many values a field has when the layout says so as a number: 1 without `count`; None when it depends."""
    if not spec.repeated:
        return 1
    return int(spec.count) if spec.count is not None and spec.count.isdigit() and len(spec.count) < 10 else None
