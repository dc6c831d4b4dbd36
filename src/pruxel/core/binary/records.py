"""What reading yields: records of named values that know their bytes, and tables of equal records."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

from pruxel.core.base.arrays import AnyArray
from pruxel.core.base.errors import ErrorCode, InputError


@dataclass
class Record:
    """Values by field name, with the byte range of each. Fields of enclosing records are found too."""

    kind: str
    start: int
    parent: Record | None = None
    constants: dict[str, Any] = field(default_factory=dict)
    values: dict[str, Any] = field(default_factory=dict)
    spans: dict[str, tuple[int, int]] = field(default_factory=dict)

    def lookup(self, name: str) -> Any:  # noqa: ANN401 - any value of a field
        """The value of a field here or in an enclosing record; raises KeyError."""
        record: Record | None = self
        while record is not None:
            if name in record.values:
                return record.values[name]
            record = record.parent
        if name == "start_of_record":
            return self.start
        return self.constants[name]

    def place(self, name: str, which: str) -> int:
        """The first byte of a field, or the one after its last; raises KeyError."""
        record: Record | None = self
        while record is not None:
            if name in record.spans:
                return record.spans[name][0 if which == "start" else 1]
            record = record.parent
        raise KeyError(name)

    def __getitem__(self, name: str) -> Any:  # noqa: ANN401
        return self.values[name]

    def own(self, name: str) -> Any:  # noqa: ANN401
        """The value of a field that another part of the layout names; raises `InputError` when there is none."""
        if name not in self.values:
            raise InputError(
                ErrorCode.LAYOUT,
                f"'extract' names the field '{name}', which the record '{self.kind}' does not have",
                offset=self.start,
                field=self.kind,
                expected=", ".join(self.values) or "a record with fields",
                hint="Check the names in the layout.",
            )
        return self.values[name]


@dataclass(frozen=True)
class Table:
    """Equal records in a row, as one structured array view of the file's own bytes.

    `start` is the byte offset of row 0, `array` has one item a row.
    """

    kind: str
    start: int
    array: AnyArray
    parent: Record
    bits: dict[str, dict[str, tuple[int, int]]]

    def __len__(self) -> int:
        return len(self.array)

    def __getitem__(self, index: int) -> Record:
        """Row `index` as a record; raises IndexError."""
        if not 0 <= index < len(self.array):
            raise IndexError(index)
        row = self.array[index]
        size = self.array.dtype.itemsize
        record = Record(self.kind, self.start + index * size, self.parent, self.parent.constants)
        for name in self.array.dtype.names or ():
            value = row[name]
            plain: Any = value.item() if value.ndim == 0 else tuple(value.tolist())
            record.values[name] = split_bits(int(plain), self.bits[name]) if name in self.bits else plain
        return record

    def __iter__(self) -> Iterator[Record]:
        return (self[index] for index in range(len(self.array)))

    def column(self, name: str) -> AnyArray:
        """All values of one field, a view; raises KeyError."""
        if name not in (self.array.dtype.names or ()):
            raise KeyError(name)
        column: AnyArray = self.array[name]
        return column


def split_bits(value: int, bits: dict[str, tuple[int, int]]) -> dict[str, int]:
    """Cut an integer into named bit fields; `raw` is the whole."""
    return {"raw": value} | {name: (value >> first) & ((1 << count) - 1) for name, (first, count) in bits.items()}
