"""Fields of text formats: a word, a number, a line. They stand between blanks, wherever the last field ended.

Records of numbers only are read as one table.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from itertools import islice
from typing import Any, NoReturn

import numpy as np

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.fields.registry import FieldType, constant_count, register
from pruxel.core.binary.reading import Reading, over_budget
from pruxel.core.binary.records import Record, Table
from pruxel.core.binary.schema import FieldSpec

_WORD = re.compile(rb'[\s,;]*(?:"((?:[^"\\]|\\.)*)"|([^\s,;"]+))')
_LINE = re.compile(rb"[ \t]*([^\r\n]*)(?:\r?\n)?")
_PLAIN_NUMBER = re.compile(r"[+-]?(?:[0-9]+\.?[0-9]*|\.[0-9]+)(?:[eE][+-]?[0-9]+)?")
_BLANK = re.compile(rb"[\s,;]*")
_LONGEST = 1 << 16


def past_comments(reading: Reading, at: int) -> int:
    """The next byte that is neither blank nor in a comment."""
    marks = tuple(mark.encode() for mark in reading.layout.comments)
    while True:
        match = _BLANK.match(reading.data, at)
        at = match.end() if match else at
        if not marks or not bytes(reading.data[at : at + 8]).startswith(marks):
            return at
        match = _LINE.match(reading.data, at)
        at = match.end() if match else len(reading.data)


def _missing(reading: Reading, record: Record, spec: FieldSpec, at: int, expected: str, found: str | None) -> NoReturn:
    raise InputError(
        ErrorCode.MALFORMED if found is not None else ErrorCode.TRUNCATED,
        f"there should be {expected} here" if found is not None else "the text ends inside this field",
        file=reading.name,
        offset=at,
        field=f"{record.kind}.{spec.name or spec.type}",
        expected=expected,
        found=None if found is None else f"'{found[:40]}'",
    )


def _next(reading: Reading, record: Record, spec: FieldSpec, at: int) -> tuple[str, int]:
    at = past_comments(reading, at)
    match = _WORD.match(reading.data, at, at + _LONGEST)
    if match is None:
        _missing(reading, record, spec, at, "a word", None if at >= len(reading.data) else "a quote without end")
    raw = match[2] if match[1] is None else match[1].replace(b'\\"', b'"')
    return raw.decode("utf-8", "backslashreplace"), match.end()


def number_in(word: str) -> int | float | None:
    """A word as a number; None where it is none."""
    if not _PLAIN_NUMBER.fullmatch(word):
        return None
    return int(word) if word.lstrip("+-").isdigit() and len(word) < 19 else float(word)


class _Word(FieldType):
    """Between blanks, commas and semicolons, or in quotes."""

    def read(self, reading: Reading, record: Record, spec: FieldSpec, at: int) -> tuple[Any, int]:
        return _next(reading, record, spec, at)


class _Line(FieldType):
    """The rest of the line, without blanks at its ends."""

    def read(self, reading: Reading, record: Record, spec: FieldSpec, at: int) -> tuple[Any, int]:
        match = _LINE.match(reading.data, at, at + _LONGEST)
        if match is None or at >= len(reading.data):
            _missing(reading, record, spec, at, "a line", None)
        return match[1].decode("utf-8", "backslashreplace").strip(), match.end()


class _Figure(FieldType):
    """A word that is a number; runs are arrays, of whole numbers where all are."""

    def read(self, reading: Reading, record: Record, spec: FieldSpec, at: int) -> tuple[Any, int]:
        word, end = _next(reading, record, spec, at)
        value = number_in(word)
        if value is None:
            _missing(reading, record, spec, at, "a number", word)
        return value, end

    def run(self, reading: Reading, record: Record, spec: FieldSpec, at: int, count: int) -> tuple[Any, int]:
        return numbers_at(reading, record, spec, at, count)


def numbers_at(reading: Reading, record: Record, spec: FieldSpec, at: int, count: int) -> tuple[Any, int]:
    """(count,) int64 or float64 from the next words, and where they end; raises `InputError`."""
    if count > len(reading.data):
        over_budget(reading, record, spec, at, count)
    places: list[int] = [at]
    words = list(islice(_words(reading, at, places), count))
    if len(words) < count:
        _missing(reading, record, spec, places[0], f"{count:,} numbers", None)
    try:
        found = np.array(words, dtype="S").astype(np.float64) if words else np.zeros(0)
    except ValueError:
        wrong = next((word for word in words if number_in(word.decode("latin-1")) is None), words[0])
        _missing(reading, record, spec, at, "a number", wrong.decode("latin-1"))
    whole = (
        np.isfinite(found).all() and (found == np.rint(found)).all() and not any(b"." in word for word in words[:64])
    )
    return (found.astype(np.int64) if whole and (np.abs(found) < 2.0**53).all() else found), places[0]


def _words(reading: Reading, at: int, places: list[int]) -> Iterator[bytes]:
    """The words from `at` on; `places` holds where the last one ended."""
    if reading.layout.comments:
        while True:
            at = past_comments(reading, at)
            match = _WORD.match(reading.data, at, at + _LONGEST)
            if match is None:
                return
            places[0] = at = match.end()
            yield match[2] or match[1] or b""
    for match in _WORD.finditer(reading.data, at):
        places[0] = match.end()
        yield match[2] or match[1] or b""


def table_of_numbers(
    reading: Reading, record: Record, spec: FieldSpec, at: int, count: int
) -> tuple[Table, int] | None:
    """A run of records that hold nothing but numbers, each a constant count of them, as one table."""
    fields = reading.layout.records[spec.type]
    widths = [constant_count(one) or 0 for one in fields]
    if not all(widths) or not all(_is_plain(one) for one in fields):
        return None
    numbers, end = numbers_at(reading, record, spec, at, count * sum(widths))
    rows = np.ascontiguousarray(np.asarray(numbers).reshape(count, sum(widths)))
    shapes = [(width,) if one.repeated else () for one, width in zip(fields, widths, strict=True)]
    kind = np.dtype([(str(one.name), rows.dtype, shape) for one, shape in zip(fields, shapes, strict=True)])
    array = rows.view(kind).reshape(count) if rows.size else np.zeros(count, kind)
    return Table(spec.type, at, array, record, {}), end


def _is_plain(spec: FieldSpec) -> bool:
    """Whether a field is a number, or a constant count of them, and nothing else is said of it."""
    return spec == FieldSpec(name=spec.name, type="number", count=spec.count, note=spec.note) and spec.name is not None


register("word", _Word())
register("line", _Line())
register("number", _Figure())
