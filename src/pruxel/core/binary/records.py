"""What reading yields: records of named values that know their bytes, and tables of equal records."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from pruxel.core.base.arrays import AnyArray
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.elements import element
from pruxel.core.native.codecs import CODECS

# An expression may make this many elements for nothing, and so many more for each byte of its file.
_FREE_ELEMENTS, _ELEMENTS_A_BYTE = 1 << 24, 256
Column = Any  # AnyArray, a list of texts, or arrays by the name of bits


@dataclass
class Budget:
    """Elements that expressions made for one file; `size` are its bytes."""

    size: int = 0
    elements: int = 0

    def charge(self, elements: int) -> None:
        """Count elements; raises `InputError` when a file of this size cannot mean so many."""
        self.elements += elements
        most = _FREE_ELEMENTS + _ELEMENTS_A_BYTE * self.size
        if self.elements > most:
            raise InputError(
                ErrorCode.BUDGET,
                "the layout's expressions make more of the file than it can hold",
                expected=f"at most {most:,} numbers",
                hint="A count may be damaged, or an expression is repeated for every record without need.",
            )


@dataclass(frozen=True)
class Let:
    """A name for an expression, worked out wherever it is used."""

    run: Callable[[Record], Any]


@dataclass
class Record:
    """Values by field name, with the byte range of each. Fields of enclosing records are found too.

    `here` is where reading stands; `block` numbers the run of bytes that the places count in, 0 being the file.
    """

    kind: str
    start: int
    parent: Record | None = None
    constants: dict[str, Any] = field(default_factory=dict)
    values: dict[str, Any] = field(default_factory=dict)
    spans: dict[str, tuple[int, int]] = field(default_factory=dict)
    budget: Budget = field(default_factory=Budget)
    here: int = 0

    def lookup(self, name: str) -> Any:  # noqa: ANN401 - any value of a field
        """The value of a field here or in an enclosing record; raises KeyError.

        Element types and codecs stand for themselves, so that they need no quotes.
        """
        record: Record | None = self
        while record is not None:
            if name in record.values:
                return record.values[name]
            record = record.parent
        if name == "start_of_record":
            return self.start
        if name == "here":
            return self.here
        if name in self.constants:
            found = self.constants[name]
            return found.run(self) if isinstance(found, Let) else found
        if name in CODECS or element(name) is not None:
            return name
        raise KeyError(name)

    def place(self, name: str, which: str) -> int:
        """The first byte of a field, or the one after its last; raises KeyError."""
        record: Record | None = self
        while record is not None:
            if name in record.spans:
                return record.spans[name][0 if which == "start" else 1]
            record = record.parent
        raise KeyError(name)

    def charge(self, elements: int) -> None:
        """Count elements that an expression made; raises `InputError`."""
        self.budget.charge(elements)

    def below(self, **values: Any) -> Record:  # noqa: ANN401
        """A scope in which these names are known too."""
        return Record(self.kind, self.start, self, self.constants, values, budget=self.budget, here=self.here)

    def __getitem__(self, name: str) -> Any:  # noqa: ANN401
        return self.values[name]

    def own(self, name: str) -> Any:  # noqa: ANN401
        """The value of a field that another part of the layout names; raises `InputError` when there is none."""
        if name not in self.values:
            raise InputError(
                ErrorCode.LAYOUT,
                f"'yields' names the field '{name}', which the record '{self.kind}' does not have",
                offset=self.start,
                field=self.kind,
                expected=", ".join(self.values) or "a record with fields",
                hint="Check the names in the layout.",
            )
        return self.values[name]


@dataclass(frozen=True)
class Meaning:
    """What is done to the raw values of one field of a table: cut into bits, decoded as text, named."""

    bits: Mapping[str, tuple[int, int]] | None = None
    encoding: str | None = None
    names: Mapping[int, str] | None = None


@dataclass(frozen=True)
class Table:
    """Equal records in a row, as one structured array view of the file's own bytes.

    `start` is the byte offset of row 0, `array` has one item a row.
    """

    kind: str
    start: int
    array: AnyArray
    parent: Record
    meaning: Mapping[str, Meaning]

    def __len__(self) -> int:
        return len(self.array)

    def __getitem__(self, index: int) -> Record:
        """Row `index` as a record; raises IndexError."""
        if not 0 <= index < len(self.array):
            raise IndexError(index)
        row = self.array[index]
        size = self.array.dtype.itemsize
        start = self.start + index * size
        record = Record(self.kind, start, self.parent, self.parent.constants, budget=self.parent.budget, here=start)
        for name, (kind, at, *_) in (self.array.dtype.fields or {}).items():
            record.values[name] = self._value(name, row[name])
            record.spans[name] = (start + at, start + at + kind.itemsize)
        return record

    def _value(self, name: str, value: Any) -> Any:  # noqa: ANN401 - a scalar of NumPy
        meaning = self.meaning.get(name)
        if meaning is not None and meaning.encoding is not None:
            return decoded(bytes(value), meaning.encoding)
        if value.dtype.kind == "V" and value.dtype.names is None:
            return memoryview(value.tobytes())
        plain: Any = value.item() if value.ndim == 0 else tuple(value.tolist()) if value.ndim == 1 else value
        if meaning is None:
            return plain
        if meaning.bits is not None:
            return split_bits(int(plain), meaning.bits)
        return plain if meaning.names is None else meaning.names.get(int(plain), f"unknown {plain}")

    def __iter__(self) -> Iterator[Record]:
        return (self[index] for index in range(len(self.array)))

    def stretch(self, begin: int, end: int, step: int) -> Table:
        """Some of the rows."""
        start = self.start + begin * self.array.dtype.itemsize
        return Table(self.kind, start, self.array[begin:end:step], self.parent, self.meaning)

    def column(self, name: str) -> Column:
        """All values of one field, a view where the file holds them so; raises KeyError.

        Texts and named numbers are lists; a field of bits is arrays by their names.
        """
        if name not in (self.array.dtype.names or ()):
            raise KeyError(name)
        column: AnyArray = self.array[name]
        meaning = self.meaning.get(name)
        if meaning is None:
            return column
        if meaning.bits is not None:
            return split_bits(column, meaning.bits)
        if meaning.encoding is not None:
            return [decoded(bytes(one), meaning.encoding) for one in column]
        if meaning.names is not None:
            return [meaning.names.get(one, f"unknown {one}") for one in column.tolist()]
        return column


def split_bits(value: Any, bits: Mapping[str, tuple[int, int]]) -> dict[str, Any]:  # noqa: ANN401
    """Cut integers into named bit fields; `raw` is the whole."""
    return {"raw": value} | {name: (value >> first) & ((1 << count) - 1) for name, (first, count) in bits.items()}


def decoded(raw: bytes, encoding: str) -> str:
    """Text up to its first zero; bytes that mean nothing in the encoding are kept, as their hexadecimal digits."""
    return raw.decode(encoding, "backslashreplace").split("\0", 1)[0]
