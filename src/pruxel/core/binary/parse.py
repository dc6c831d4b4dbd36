"""Read bytes by a layout: bytes → records.

Runs of equal elements, and of records that have a fixed size, are one NumPy view of the file. Everything read is
checked against the end of the file first, and records are counted against a budget.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.elements import decode_floats, element
from pruxel.core.binary.fixed import fixed_dtype
from pruxel.core.binary.payload import read_bytes, read_string, wrong_key
from pruxel.core.binary.reading import Reading, byte_order, evaluate, integer, most_records, need, over_budget, whole
from pruxel.core.binary.records import Record, Table, split_bits
from pruxel.core.binary.schema import FieldSpec, Layout

_DEEPEST = 32


def parse(
    layout: Layout,
    data: memoryview,
    name: str,
    context: Context,
    keys: Mapping[str, bytes] | None = None,
    *,
    any_version: bool = False,
) -> Record:
    """Read a whole file; raises `InputError` that names file, offset, field, expected and found.

    `keys` opens encrypted fields; with `any_version` a version that the layout does not know is read all the same.
    """
    reading = Reading(layout, data, name, context, keys=keys or {}, any_version=any_version)
    record, _ = _record(reading, "file", 0, None)
    return record


def _record(reading: Reading, kind: str, start: int, parent: Record | None) -> tuple[Record, int]:
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
    record = Record(kind, start, parent, reading.constants)
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
            hint=f"Add the version to the layout '{reading.layout.layout}' once its fields are known.",
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
            value = spec.names.get(integer(reading, record, spec, value, begin, "names"), f"unknown {value}")
        record.values[spec.name] = value
        record.spans[spec.name] = (begin, end)
        _check_version(reading, record, spec)
    return cursor if spec.at is not None else end


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
            hint=f"This may not be a '{reading.layout.layout}' file at all.",
        )


def _value(reading: Reading, record: Record, spec: FieldSpec, at: int) -> tuple[Any, int]:
    if spec.type == "value":
        return evaluate(reading, spec.value or "0", record, spec, at), at
    if spec.type in {"bytes", "pad"}:
        return read_bytes(reading, record, spec, at)
    if spec.count is not None:
        return _run(reading, record, spec, at)
    if spec.type == "text":
        return read_string(reading, record, spec, at)
    kind = element(spec.type)
    if kind is None:
        return _record(reading, spec.type, at, record)
    need(reading, at, kind.size, record, spec)
    array = np.frombuffer(reading.data, kind.dtype(byte_order(reading, spec)), kind.width, at)
    if "norm" in kind.scalar:
        raw = np.frombuffer(reading.data, np.uint8, kind.size, at).reshape(1, -1)
        array = decode_floats(raw, kind, 0, byte_order(reading, spec))[0]
    return (array[0].item() if kind.components == 1 else tuple(array.tolist())), at + kind.size


def _run(reading: Reading, record: Record, spec: FieldSpec, at: int) -> tuple[Any, int]:
    """A counted run: one array, one table view, or a list where sizes vary."""
    count = whole(reading, spec.count or "0", record, spec, at)
    kind = element(spec.type)
    if kind is not None:
        need(reading, at, count * kind.size, record, spec)
        array = np.frombuffer(reading.data, kind.dtype(byte_order(reading, spec)), count * kind.width, at)
        return array.reshape(count, kind.width) if kind.width > 1 else array, at + count * kind.size
    stride = None
    if spec.stride is not None:
        stride = whole(reading, spec.stride, record, spec, at)
        if stride > len(reading.data):
            over_budget(reading, record, spec, at, stride, "a stride")
    fixed = None if spec.type == "text" else fixed_dtype(reading.layout, spec.type, reading.version, stride)
    if fixed is not None:
        if count > reading.context.limits.entries:
            over_budget(reading, record, spec, at, count)
        need(reading, at, count * fixed.dtype.itemsize, record, spec)
        array = np.frombuffer(reading.data, fixed.dtype, count, at)
        table = Table(spec.type, at, array, record, fixed.bits)
        return table, at + count * fixed.dtype.itemsize
    if count > most_records(reading) or count > len(reading.data):
        over_budget(reading, record, spec, at, count)
    items: list[Any] = []
    cursor = at
    item: Record | str
    for number in range(count):
        begin = cursor if stride is None else at + number * stride
        if spec.type == "text":
            item, cursor = read_string(reading, record, spec, begin)
        else:
            item, cursor = _record(reading, spec.type, begin, record)
        items.append(item)
    return items, cursor
