"""Read bytes by a layout: bytes → records.

Runs of equal elements, and of records that have a fixed size, are one NumPy view of the file. Everything read is
checked against the end of the file first, and records are counted against a budget.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.elements import element
from pruxel.core.binary.fields.registry import field_type
from pruxel.core.binary.fields.words import past_comments
from pruxel.core.binary.payload import wrong_key
from pruxel.core.binary.reading import Beside, Reading, byte_order, evaluate, integer, most_records, over_budget, whole
from pruxel.core.binary.records import Record, split_bits
from pruxel.core.binary.schema import FieldSpec, Layout
from pruxel.core.binary.trees import read_tree

_DEEPEST = 32
_WORDS = {"word", "number", "line"}
_LEAST_MARK, _AROUND = 2, 64  # what is shorter stands somewhere by chance


def parse(
    layout: Layout,
    data: memoryview,
    name: str,
    context: Context,
    keys: Mapping[str, bytes] | None = None,
    *,
    any_version: bool = False,
    beside: Beside | None = None,
    begun: Callable[[Record], None] | None = None,
) -> Record:
    """Read a whole file; raises `InputError` that names file, offset, field, expected and found.

    `keys` opens encrypted fields; with `any_version` a version that the layout does not know is read all the same.
    `beside` gives the bytes of a file by its name, None where it is not there. `begun` hears of the record before it is
    read, so that what was read before a failure is known.
    """
    reading = Reading(
        layout, data, name, context, _record, keys=keys or {}, any_version=any_version, beside=beside, begun=begun
    )
    given = {} if layout.text is None else {"root": read_tree(layout.text, data, name)}
    record, _ = _record(reading, "file", 0, None, given)
    return record


def _record(
    reading: Reading, kind: str, start: int, parent: Record | None, given: Mapping[str, Any]
) -> tuple[Record, int]:
    reading.spent.records += 1
    most = most_records(reading)
    if reading.spent.records > most or reading.depth > _DEEPEST:
        raise InputError(
            ErrorCode.BUDGET,
            "the file asks for more records than it can hold",
            file=reading.name,
            offset=start,
            field=kind,
            expected=f"at most {most:,} records, {_DEEPEST} deep",
            hint="A count may be damaged, or the layout may not fit this version.",
        )
    if reading.spent.records % 1024 == 0:
        reading.context.check()
    reading.depth += 1
    record = Record(kind, start, parent, reading.constants, dict(given), budget=reading.budget, here=start)
    if parent is None and reading.begun is not None:
        reading.begun(record)
    cursor = start
    for spec in reading.layout.records[kind]:
        cursor = _field(reading, record, spec, cursor)
    reading.depth -= 1
    return record, cursor


def _present(reading: Reading, record: Record, spec: FieldSpec, cursor: int) -> bool:
    if spec.since is not None or spec.before is not None:
        version = _known_version(reading, record, spec, cursor)
        if spec.since is not None and version < spec.since:
            return False
        if spec.before is not None and version >= spec.before:
            return False
    return spec.when is None or _truth(reading, spec.when, record, spec, cursor)


def _truth(reading: Reading, text: str, record: Record, spec: FieldSpec, at: int) -> bool:
    value = evaluate(reading, text, record, spec, at)
    return integer(reading, record, spec, value, at, "when") != 0 if isinstance(value, np.ndarray) else bool(value)


def _known_version(reading: Reading, record: Record, spec: FieldSpec, cursor: int) -> int:
    if reading.version is None:
        if reading.layout.version is None:
            raise InputError(
                ErrorCode.LAYOUT,
                "fields depend on a version, but the layout does not say where it stands",
                file=reading.name,
            )
        reading.version = whole(reading, reading.layout.version.field, record, spec, cursor)
    return reading.version


def _check_version(reading: Reading, record: Record, spec: FieldSpec) -> None:
    """As soon as the version field has been read, an unknown version stops the reading."""
    wanted = reading.layout.version
    if wanted is None or reading.version is not None or spec.name is None:
        return
    if wanted.field.rsplit(".", 1)[-1] != spec.name:
        return
    found = integer(reading, record, spec, record.values[spec.name], record.spans[spec.name][0], "version")
    if found not in wanted.known and not reading.any_version:
        raise InputError(
            ErrorCode.UNKNOWN_VERSION,
            "this version of the format is not known",
            file=reading.name,
            offset=record.spans[spec.name][0],
            field=f"{record.kind}.{spec.name}",
            expected=f"version {', '.join(str(v) for v in wanted.known)}",
            found=f"version {found}",
            hint=_other_order(reading, spec, found, wanted.known)
            or f"Add the version to the layout '{reading.layout.layout}' once its fields are known.",
        )
    reading.version = found


def _field(reading: Reading, record: Record, spec: FieldSpec, cursor: int) -> int:
    """Read one field; returns where the next begins. A field with `at` is a look elsewhere."""
    if not _present(reading, record, spec, cursor):
        return cursor
    if spec.align is not None:
        step = max(whole(reading, spec.align, record, spec, cursor), 1)
        cursor = -(-cursor // step) * step
    if spec.within is not None:
        _within(reading, record, spec, cursor)
        return cursor
    begin = cursor
    if spec.at is not None:
        base = {"file": 0, "record": record.start, "here": cursor}[spec.relative_to]
        begin = base + whole(reading, spec.at, record, spec, cursor)
    value, end = _value(reading, record, spec, begin)
    if spec.name is not None:
        _expect(reading, record, spec, value, begin)
        if spec.bits is not None:
            value = split_bits(integer(reading, record, spec, value, begin, "bits"), spec.bits)
        elif spec.names is not None:
            words = reading.layout.words_of(spec) or {}
            value = words.get(integer(reading, record, spec, value, begin, "names"), f"unknown {value}")
        record.values[spec.name] = value
        record.spans[spec.name] = (begin, end)
        _check_version(reading, record, spec)
        if spec.check is not None and not _truth(reading, spec.check, record, spec, begin):
            raise InputError(
                ErrorCode.MALFORMED,
                f"a check of the layout fails: {spec.check}",
                file=reading.name,
                offset=begin,
                field=f"{record.kind}.{spec.name}",
                found=repr(value)[:80],
                hint=f"The file may be damaged, or this may not be a '{reading.layout.layout}' file at all.",
            )
    return cursor if spec.at is not None and spec.type != "goto" else end


def _within(reading: Reading, record: Record, spec: FieldSpec, cursor: int) -> None:
    """Read a field inside the bytes of another one, where offsets count from that one's first byte."""
    outer = str(spec.within)
    data = record.values.get(outer)
    if not isinstance(data, memoryview):
        raise InputError(
            ErrorCode.LAYOUT,
            f"'within' names '{outer}', which is no field of bytes read before",
            file=reading.name,
            offset=cursor,
            field=f"{record.kind}.{spec.name or spec.type}",
        )
    inner = replace(reading, data=data)
    inside = spec.model_copy(update={"within": None, "at": spec.at or "0"})
    try:
        _field(inner, record, inside, 0)
    except InputError as error:
        key = reading.sealed.get(outer)
        if key is None:
            raise
        raise wrong_key(reading, key, record.spans[outer][0], error) from error


def _expect(reading: Reading, record: Record, spec: FieldSpec, value: object, at: int) -> None:
    if spec.equals is not None and value != spec.equals:
        raise InputError(
            ErrorCode.MALFORMED,
            "a fixed value is not there",
            file=reading.name,
            offset=at,
            field=f"{record.kind}.{spec.name}",
            expected=repr(spec.equals),
            found=repr(value),
            hint=_other_order(reading, spec, value, (spec.equals,))
            or _elsewhere(reading, record, spec, at)
            or f"This may not be a '{reading.layout.layout}' file at all.",
        )


def _other_order(reading: Reading, spec: FieldSpec, found: object, wanted: Sequence[object]) -> str | None:
    """A hint where the number would be right with its bytes the other way round."""
    kind = element(spec.type)
    if kind is None or not kind.whole or kind.width > 1 or not isinstance(found, int):
        return None
    turned = int.from_bytes((found % (1 << 8 * kind.size)).to_bytes(kind.size, "little"), "big")
    if turned == found or turned not in wanted:
        return None
    other = "big" if byte_order(reading, spec) == "<" else "little"
    return f"With its bytes the other way round it is {turned}: try 'endian: {other}'."


def _elsewhere(reading: Reading, record: Record, spec: FieldSpec, at: int) -> str | None:
    """A hint where the value stands a little before or behind: something before it is read too long or too short."""
    kind = element(spec.type)
    if isinstance(spec.equals, str):
        wanted = spec.equals.encode(spec.encoding, "replace")
    elif kind is not None and kind.whole and kind.width == 1 and isinstance(spec.equals, int):
        number = spec.equals % (1 << 8 * kind.size)
        wanted = number.to_bytes(kind.size, "big" if byte_order(reading, spec) == ">" else "little")
    else:
        return None
    if len(wanted) < _LEAST_MARK:
        return None
    first = max(at - _AROUND, 0)
    around = bytes(reading.data[first : at + _AROUND + len(wanted)])
    places = [first + n for n in range(len(around)) if around.startswith(wanted, n) and first + n != at]
    if not places:
        return None
    nearest = min(places, key=lambda place: abs(place - at))
    apart, what = abs(nearest - at), "short" if nearest > at else "long"
    row = " Records that repeat may stand further apart than they are read." if record.parent is not None else ""
    return f"It stands at byte {nearest:,}: what is read before it may be {apart:,} bytes too {what}.{row}"


def _value(reading: Reading, record: Record, spec: FieldSpec, at: int) -> tuple[Any, int]:
    kind = field_type(spec.type)
    if spec.count is not None:
        return kind.run(reading, record, spec, at, whole(reading, spec.count, record, spec, at))
    if spec.until is not None:
        return _until(reading, record, spec, at)
    return kind.read(reading, record, spec, at)


def _is_more(reading: Reading, spec: FieldSpec, at: int) -> bool:
    """Whether something stands behind; in a text of words, more than blanks and comments."""
    if spec.type in _WORDS or any(one.type in _WORDS for one in reading.layout.records.get(spec.type, ())):
        at = past_comments(reading, at)
    return at < len(reading.data)


def _until(reading: Reading, record: Record, spec: FieldSpec, at: int) -> tuple[list[Any] | np.ndarray, int]:
    """A run that ends where its last item says so, or, with `end`, where the bytes do."""
    kind, items = field_type(spec.type), list[Any]()
    most = most_records(reading)
    while spec.until != "end" or _is_more(reading, spec, at):
        if len(items) >= most:
            over_budget(reading, record, spec, at, len(items) + 1)
        begin = at
        item, at = kind.read(reading, record, spec, at)
        items.append(item)
        if spec.until == "end":
            if at <= begin:
                over_budget(reading, record, spec, at, len(items), "a run of items without bytes")
            continue
        scope = item if isinstance(item, Record) else record.below(item=item)
        if _truth(reading, str(spec.until), scope, spec, at):
            break
    return (np.asarray(items) if items and isinstance(items[0], int | float) else items), at
