"""Records of varying size, walked once by compiled code: rows when asked for, columns as arrays."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.elements import decode_floats, decode_plain, element
from pruxel.core.binary.fields.fixed import fixed_dtype
from pruxel.core.binary.fields.registry import field_type
from pruxel.core.binary.fields.scan import NEGATIVE, TRUNCATED, UNENDED, Program, gathered, program_of, read_only, walk
from pruxel.core.binary.payload import PREFIX_BYTES
from pruxel.core.binary.reading import Reading, Spent, byte_order, most_records, over_budget
from pruxel.core.binary.records import Record, Table, decoded, split_bits
from pruxel.core.binary.schema import FieldSpec

# Below this many records compiling their walk is not worth it.
_FEW = 32
# So many rows are made at once.
_AT_ONCE = 4096


@dataclass(frozen=True, eq=False)
class Ragged:
    """Values of which each row has its own number: all of them one behind the other, and `counts` (n,) of them."""

    values: Any
    counts: AnyArray

    @cached_property
    def _ends(self) -> AnyArray:
        return np.cumsum(self.counts)

    def __len__(self) -> int:
        return len(self.counts)

    def __getitem__(self, index: int) -> Any:  # noqa: ANN401
        if not 0 <= index < len(self.counts):
            raise IndexError(index)
        begin, end = int(self._ends[index] - self.counts[index]), int(self._ends[index])
        return self.values.stretch(begin, end, 1) if isinstance(self.values, Table) else self.values[begin:end]


@dataclass(frozen=True, eq=False)
class Varying:
    """Records of one kind in a row, each of its own size.

    `begins` (n,) are their first bytes, `places` and `counts` (n, f) those of their fields, -1 where one is not there.
    """

    kind: str
    reading: Reading
    parent: Record
    program: Program
    begins: AnyArray
    places: AnyArray
    counts: AnyArray
    _rows: Reading = field(init=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "_rows", replace(self.reading, spent=Spent()))

    def __len__(self) -> int:
        return len(self.begins)

    def __getitem__(self, index: int) -> Record:
        """Row `index`, read as any record; raises IndexError."""
        if not 0 <= index < len(self.begins):
            raise IndexError(index)
        self._rows.spent.records = 0
        record, _ = self._rows.enter(self._rows, self.kind, int(self.begins[index]), self.parent, {})
        return record

    def __iter__(self) -> Iterator[Record]:
        reading = self.reading
        if reading.layout.version is not None and reading.version is None:
            # A row may be what says the version.
            yield from (self[index] for index in range(len(self.begins)))
            return
        for begin in range(0, len(self.begins), _AT_ONCE):
            reading.context.check()
            yield from self._some_rows(slice(begin, begin + _AT_ONCE))

    def _some_rows(self, some: slice) -> Iterator[Record]:
        """What `__getitem__` reads row by row, each field for all rows at once: far faster."""
        fields = [
            (spec, field_type(spec.type) if spec.repeated else None, self._cells(n, some), self._spans(n, some))
            for n, spec in enumerate(self.program.specs)
            if spec.name is not None
        ]
        constants, budget = self.reading.constants, self.reading.budget
        for row, start in enumerate(self.begins[some].tolist()):
            record = Record(self.kind, start, self.parent, constants, budget=budget, here=start)
            self._rows.spent.records = 0
            for spec, kind, cells, spans in fields:
                span, value = spans[row], cells[row]
                if span is not None:
                    if kind is not None:
                        value, _ = kind.run(self._rows, record, spec, span[0], value)
                    record.values[str(spec.name)], record.spans[str(spec.name)] = value, span
            yield record

    def _cells(self, number: int, some: slice) -> list[Any]:
        """A field's value in each row; of one with `count`, how many values; None where it is not there."""
        spec, places, counts = self.program.specs[number], self.places[some, number], self.counts[some, number]
        if spec.repeated:
            return list(counts.tolist())
        there = places >= 0
        found = self._values(spec, int(self.program.fields[number, 1]), places[there], counts[there])
        plain: list[Any] = found if isinstance(found, list) else []
        if isinstance(found, dict):
            parts = [one.tolist() for one in found.values()]
            plain = [dict(zip(found, row, strict=True)) for row in zip(*parts, strict=True)]
        elif isinstance(found, np.ndarray):
            plain = found.tolist() if found.ndim == 1 else [tuple(one) for one in found.tolist()]
        return plain if there.all() else _spread(plain, there, None)

    def _spans(self, number: int, some: slice) -> list[tuple[int, int] | None]:
        """The first byte of a field and the one after its last, in each row; None where it is not there."""
        spec, places, counts = self.program.specs[number], self.places[some, number], self.counts[some, number]
        before = PREFIX_BYTES.get(spec.prefix or "", 0)
        behind = int(spec.type == "text" and spec.prefix is None and spec.size is None)
        ends = places + counts * int(1 if before else self.program.fields[number, 1]) + behind
        there = places >= 0
        pairs: list[Any] = list(zip((places - before)[there].tolist(), ends[there].tolist(), strict=True))
        return pairs if there.all() else _spread(pairs, there, None)

    def stretch(self, begin: int, end: int, step: int) -> Varying:
        """Some of the rows."""
        some = slice(begin, end, step)
        return replace(self, begins=self.begins[some], places=self.places[some], counts=self.counts[some])

    def column(self, name: str) -> Any:  # noqa: ANN401
        """All values of one field; raises KeyError where a row lacks it."""
        return self._column(name, None)

    def filled(self, name: str, otherwise: Any) -> Any:  # noqa: ANN401
        """The same, with a value where a row lacks the field."""
        return self._column(name, otherwise)

    def _column(self, name: str, otherwise: Any) -> Any:  # noqa: ANN401
        numbers = [n for n, spec in enumerate(self.program.specs) if spec.name == name]
        if len(numbers) != 1:
            raise KeyError(name)
        [number] = numbers
        spec, places, counts = self.program.specs[number], self.places[:, number], self.counts[:, number]
        there = places >= 0
        if not there.all() and otherwise is None and not spec.repeated:
            raise KeyError(name)
        found = self._values(spec, int(self.program.fields[number, 1]), places[there], counts[there])
        if spec.repeated:
            return Ragged(found, counts)
        if there.all():
            return found
        if isinstance(found, list):
            return _spread(found, there, otherwise)
        shape = (len(there), *found.shape[1:])
        whole = np.broadcast_to(np.asarray(otherwise), shape).astype(np.result_type(found, np.asarray(otherwise)))
        whole[there] = found
        return whole

    def _values(self, spec: FieldSpec, size: int, places: AnyArray, counts: AnyArray) -> Any:  # noqa: ANN401
        if spec.type == "text":
            data = self.reading.data
            pairs = zip(places.tolist(), counts.tolist(), strict=True)
            return [decoded(bytes(data[at : at + count]), spec.encoding) for at, count in pairs]
        if spec.type in {"bytes", "pad"}:
            pairs = zip(places.tolist(), counts.tolist(), strict=True)
            return [self.reading.data[at : at + count] for at, count in pairs]
        sizes = counts * size
        raw = np.empty(int(sizes.sum()), np.uint8)
        gathered(read_only(self.reading.data), np.ascontiguousarray(places), np.ascontiguousarray(sizes), raw)
        kind = element(spec.type)
        if kind is None:
            fixed = fixed_dtype(self.reading.layout, spec.type, self.reading.version, None)
            assert fixed is not None
            return Table(
                spec.type, int(places[0]) if len(places) else 0, raw.view(fixed.dtype), self.parent, fixed.meaning
            )
        lines, order = raw.reshape(-1, size), byte_order(self.reading, spec)
        found = decode_floats(lines, kind, 0, order) if "norm" in kind.scalar else decode_plain(lines, kind, 0, order)
        plain = found[:, 0] if kind.components == 1 else found
        if spec.bits is not None:
            return split_bits(plain, spec.bits)
        words = self.reading.layout.words_of(spec)
        return plain if words is None else [words.get(one, f"unknown {one}") for one in plain.tolist()]


def _spread(values: list[Any], there: AnyArray, otherwise: Any) -> list[Any]:  # noqa: ANN401
    """The values in the rows that have one, (n,) bool, and another thing in the rest."""
    rest = iter(values)
    return [next(rest) if one else otherwise for one in there.tolist()]


def varying_at(reading: Reading, record: Record, spec: FieldSpec, at: int, count: int) -> tuple[Varying, int] | None:
    """A run of records walked by compiled code; None where they cannot be, or are too few. Raises `InputError`."""
    if count < _FEW:
        return None
    program = program_of(reading.layout, spec.type, reading.version, record)
    if program is None:
        return None
    if count > most_records(reading) or count > len(reading.data):
        over_budget(reading, record, spec, at, count)
    width = len(program.specs)
    begins = np.zeros(count, np.int64)
    places, counts = np.zeros((count, width), np.int64), np.zeros((count, width), np.int64)
    data = read_only(reading.data)
    end, done, reason, number = walk(data, at, program.fields, program.code, begins, places, counts)
    found = Varying(spec.type, reading, record, program, begins[:done], places[:done], counts[:done])
    if reason:
        if spec.name is not None:
            record.values[spec.name], record.spans[spec.name] = found, (at, int(end))
        raise _ended(reading, spec, program.specs[number], reason, int(end), int(done), count)
    return found, int(end)


def _ended(
    reading: Reading, run: FieldSpec, spec: FieldSpec, reason: int, at: int, done: int, count: int
) -> InputError:
    words = {
        TRUNCATED: (ErrorCode.TRUNCATED, "the file ends inside this field"),
        NEGATIVE: (ErrorCode.MALFORMED, "a count or size is below zero"),
        UNENDED: (ErrorCode.MALFORMED, "a text has no end"),
    }
    code, message = words.get(reason, (ErrorCode.LAYOUT, "a count, size or condition has no value"))
    return InputError(
        code,
        message,
        file=reading.name,
        offset=at,
        field=f"{run.type}.{spec.name or spec.type}",
        expected=f"{count:,} records",
        found=f"the end of {done:,}, in a file of {len(reading.data):,} bytes",
        hint="The copy may be incomplete, or the layout may not fit this version.",
    )
