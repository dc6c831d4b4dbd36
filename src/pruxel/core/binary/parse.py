"""Read bytes by a layout: bytes → records.

Runs of equal elements, and of records that have a fixed size, are one NumPy view of the file. Everything read is
checked against the end of the file first, and records are counted against a budget.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.base.limits import check_unpacked_size
from pruxel.core.binary.elements import decode_floats, element
from pruxel.core.binary.expressions import compile_expression
from pruxel.core.binary.fixed import fixed_dtype
from pruxel.core.binary.records import Record, Table, split_bits
from pruxel.core.binary.schema import FieldSpec, Layout
from pruxel.core.binary.text import read_text
from pruxel.core.native.ciphers import decrypt
from pruxel.core.native.codecs import decompress

_PREFIX_BYTES = {"u8": 1, "u16": 2, "u32": 4}
_DEEPEST = 32


@dataclass
class _Reading:
    """The state of one reading: where the bytes are, and how many records have been made."""

    layout: Layout
    data: memoryview
    name: str
    context: Context
    version: int | None = None
    made: int = 0
    depth: int = 0
    constants: dict[str, Any] = field(default_factory=dict)
    keys: Mapping[str, bytes] = field(default_factory=dict)
    any_version: bool = False
    sealed: dict[str, str] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.constants = {"file_end": len(self.data)} | self.layout.constants


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
    reading = _Reading(layout, data, name, context, keys=keys or {}, any_version=any_version)
    record, _ = _record(reading, "file", 0, None)
    return record


def _evaluate(reading: _Reading, text: str, record: Record, spec: FieldSpec, at: int) -> Any:  # noqa: ANN401
    try:
        return compile_expression(text)(record)
    except InputError as error:
        fault = error.fault
        raise InputError(
            fault.code,
            fault.message,
            file=reading.name,
            offset=at,
            field=f"{record.kind}.{spec.name or spec.type}",
            hint=fault.hint,
        ) from error


def _whole(reading: _Reading, text: str, record: Record, spec: FieldSpec, at: int) -> int:
    """Evaluate to a whole number that is not negative."""
    value = _evaluate(reading, text, record, spec, at)
    if isinstance(value, bool) or not isinstance(value, int) or value < 0:
        raise InputError(
            ErrorCode.MALFORMED,
            f"'{text}' should be a count, size or offset",
            file=reading.name,
            offset=at,
            field=f"{record.kind}.{spec.name or spec.type}",
            expected="a whole number from 0",
            found=repr(value),
        )
    return value


def _need(reading: _Reading, at: int, size: int, record: Record, spec: FieldSpec) -> None:
    """Raise when the file ends before `at + size`."""
    length = len(reading.data)
    if at + size > length:
        beyond = at > length
        raise InputError(
            ErrorCode.ENTRY_OUTSIDE_FILE if beyond else ErrorCode.TRUNCATED,
            "the field points outside the file" if beyond else "the file ends inside this field",
            file=reading.name,
            offset=at,
            field=f"{record.kind}.{spec.name or spec.type}",
            expected=f"{size:,} bytes from byte {at:,}",
            found=f"a file of {length:,} bytes",
            hint="The copy may be incomplete, or the layout may not fit this version.",
        )


def _record(reading: _Reading, kind: str, start: int, parent: Record | None) -> tuple[Record, int]:
    reading.made += 1
    if reading.made > reading.context.limits.records or reading.depth > _DEEPEST:
        raise InputError(
            ErrorCode.BUDGET,
            "the file asks for more records than any real file",
            file=reading.name,
            offset=start,
            field=kind,
            expected=f"at most {reading.context.limits.records:,} records, {_DEEPEST} deep",
        )
    if reading.made % 4096 == 0:
        reading.context.check()
    reading.depth += 1
    record = Record(kind, start, parent, reading.constants)
    cursor = start
    for spec in reading.layout.records[kind]:
        cursor = _field(reading, record, spec, cursor)
    reading.depth -= 1
    return record, cursor


def _present(reading: _Reading, record: Record, spec: FieldSpec, cursor: int) -> bool:
    if spec.since is not None or spec.before is not None:
        version = _known_version(reading, record, spec, cursor)
        if spec.since is not None and version < spec.since:
            return False
        if spec.before is not None and version >= spec.before:
            return False
    return spec.when is None or bool(_evaluate(reading, spec.when, record, spec, cursor))


def _known_version(reading: _Reading, record: Record, spec: FieldSpec, cursor: int) -> int:
    if reading.version is None:
        if reading.layout.version is None:
            raise InputError(
                ErrorCode.LAYOUT,
                "fields depend on a version, but the layout does not say where it stands",
                file=reading.name,
            )
        reading.version = _whole(reading, reading.layout.version.field, record, spec, cursor)
    return reading.version


def _check_version(reading: _Reading, record: Record, spec: FieldSpec) -> None:
    """As soon as the version field has been read, an unknown version stops the reading."""
    wanted = reading.layout.version
    if wanted is None or reading.version is not None or spec.name is None:
        return
    if wanted.field.rsplit(".", 1)[-1] != spec.name:
        return
    found = record.values[spec.name]
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


def _field(reading: _Reading, record: Record, spec: FieldSpec, cursor: int) -> int:
    """Read one field; returns where the next begins. A field with `at` is a look elsewhere."""
    if not _present(reading, record, spec, cursor):
        return cursor
    if spec.align is not None:
        step = max(_whole(reading, spec.align, record, spec, cursor), 1)
        cursor = -(-cursor // step) * step
    if spec.within is not None:
        _within(reading, record, spec, cursor)
        return cursor
    begin = cursor
    if spec.at is not None:
        base = {"file": 0, "record": record.start, "here": cursor}[spec.relative_to]
        begin = base + _whole(reading, spec.at, record, spec, cursor)
    value, end = _value(reading, record, spec, begin)
    if spec.name is not None:
        _expect(reading, record, spec, value, begin)
        if spec.bits is not None:
            value = split_bits(int(value), spec.bits)
        elif spec.names is not None:
            value = spec.names.get(int(value), f"unknown {value}")
        record.values[spec.name] = value
        record.spans[spec.name] = (begin, end)
        _check_version(reading, record, spec)
    return cursor if spec.at is not None else end


def _within(reading: _Reading, record: Record, spec: FieldSpec, cursor: int) -> None:
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
        raise _wrong_key(reading, key, record.spans[outer][0], error) from error


def _expect(reading: _Reading, record: Record, spec: FieldSpec, value: object, at: int) -> None:
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


def _value(reading: _Reading, record: Record, spec: FieldSpec, at: int) -> tuple[Any, int]:
    if spec.type == "value":
        return _evaluate(reading, spec.value or "0", record, spec, at), at
    if spec.type in {"bytes", "pad"}:
        return _bytes(reading, record, spec, at)
    if spec.count is not None:
        return _run(reading, record, spec, at)
    if spec.type == "text":
        return _text(reading, record, spec, at)
    kind = element(spec.type)
    if kind is None:
        return _record(reading, spec.type, at, record)
    _need(reading, at, kind.size, record, spec)
    array = np.frombuffer(reading.data, kind.dtype(_order(reading, spec)), kind.width, at)
    if "norm" in kind.scalar:
        raw = np.frombuffer(reading.data, np.uint8, kind.size, at).reshape(1, -1)
        array = decode_floats(raw, kind, 0, _order(reading, spec))[0]
    return (array[0].item() if kind.components == 1 else tuple(array.tolist())), at + kind.size


def _order(reading: _Reading, spec: FieldSpec) -> str:
    return "<" if (spec.endian or reading.layout.endian) == "little" else ">"


def _bytes(reading: _Reading, record: Record, spec: FieldSpec, at: int) -> tuple[memoryview, int]:
    size = _whole(reading, spec.size or "0", record, spec, at)
    _need(reading, at, size, record, spec)
    data = reading.data[at : at + size]
    if spec.cipher is not None and size:
        data = _deciphered(reading, record, spec, data, at)
    if spec.codec is None:
        return data, at + size
    codec = str(_evaluate(reading, spec.codec, record, spec, at))
    if codec == "stored":
        return data, at + size
    unpacked = _whole(reading, spec.unpacked or "0", record, spec, at)
    check_unpacked_size(reading.context.limits, reading.name, size, unpacked)
    try:
        return memoryview(decompress(codec, data, unpacked, reading.name, at)), at + size
    except InputError as error:
        if spec.cipher is None:
            raise
        raise _wrong_key(reading, str(spec.key), at, error) from error


def _wrong_key(reading: _Reading, key: str, at: int, error: InputError) -> InputError:
    return InputError(
        ErrorCode.KEY_WRONG,
        f"the key '{key}' does not open this file",
        file=reading.name,
        offset=at,
        field=error.fault.field,
        expected=error.fault.expected,
        found=error.fault.found,
        hint="Type the key again, or try the other keys that you have.",
    )


def _deciphered(reading: _Reading, record: Record, spec: FieldSpec, data: memoryview, at: int) -> memoryview:
    name = str(spec.key)
    key = reading.keys.get(name)
    if key is None:
        raise InputError(
            ErrorCode.KEY_NEEDED,
            f"needs the key '{name}'",
            file=reading.name,
            offset=at,
            field=f"{record.kind}.{spec.name or spec.type}",
            hint="Type the key in the project's key ring.",
        )
    if spec.name is not None:
        reading.sealed[spec.name] = name
    iv = b"" if spec.iv is None else bytes(_evaluate(reading, spec.iv, record, spec, at))
    return memoryview(decrypt(str(spec.cipher), key, iv, data, reading.name, at))


def _text(reading: _Reading, record: Record, spec: FieldSpec, at: int) -> tuple[str, int]:
    place = f"{record.kind}.{spec.name}"
    if spec.prefix is not None:
        width = _PREFIX_BYTES[spec.prefix]
        _need(reading, at, width, record, spec)
        order = "little" if _order(reading, spec) == "<" else "big"
        size = int.from_bytes(reading.data[at : at + width], order)  # type: ignore[arg-type]
        _need(reading, at + width, size, record, spec)
        text = read_text(reading.data[at + width : at + width + size], spec, reading.name, at, place)
        return text, at + width + size
    if spec.size is not None:
        size = _whole(reading, spec.size, record, spec, at)
        _need(reading, at, size, record, spec)
        return read_text(reading.data[at : at + size], spec, reading.name, at, place), at + size
    _need(reading, at, 1, record, spec)
    window = bytes(reading.data[at : at + (1 << 16)])
    wide = spec.encoding.startswith("utf-16")
    step, zero = (2, b"\0\0") if wide else (1, b"\0")
    stop = next((i for i in range(0, len(window), step) if window[i : i + step] == zero), None)
    if stop is None:
        raise InputError(
            ErrorCode.MALFORMED,
            "a text has no end",
            file=reading.name,
            offset=at,
            field=place,
            expected="a zero within 65,536 bytes",
        )
    return read_text(memoryview(window[:stop]), spec, reading.name, at, place), at + stop + step


def _run(reading: _Reading, record: Record, spec: FieldSpec, at: int) -> tuple[Any, int]:
    """A counted run: one array, one table view, or a list where sizes vary."""
    count = _whole(reading, spec.count or "0", record, spec, at)
    kind = element(spec.type)
    if kind is not None:
        _need(reading, at, count * kind.size, record, spec)
        array = np.frombuffer(reading.data, kind.dtype(_order(reading, spec)), count * kind.width, at)
        return array.reshape(count, kind.width) if kind.width > 1 else array, at + count * kind.size
    stride = None
    if spec.stride is not None:
        stride = _whole(reading, spec.stride, record, spec, at)
    fixed = None if spec.type == "text" else fixed_dtype(reading.layout, spec.type, reading.version, stride)
    if fixed is not None:
        if count > reading.context.limits.entries:
            _over_budget(reading, record, spec, at, count)
        _need(reading, at, count * fixed.dtype.itemsize, record, spec)
        array = np.frombuffer(reading.data, fixed.dtype, count, at)
        table = Table(spec.type, at, array, record, fixed.bits)
        return table, at + count * fixed.dtype.itemsize
    if count > reading.context.limits.records or count > len(reading.data):
        _over_budget(reading, record, spec, at, count)
    items: list[Any] = []
    cursor = at
    item: Record | str
    for number in range(count):
        begin = cursor if stride is None else at + number * stride
        if spec.type == "text":
            item, cursor = _text(reading, record, spec, begin)
        else:
            item, cursor = _record(reading, spec.type, begin, record)
        items.append(item)
    return items, cursor


def _over_budget(reading: _Reading, record: Record, spec: FieldSpec, at: int, count: int) -> None:
    raise InputError(
        ErrorCode.BUDGET,
        "a count is larger than the file can hold",
        file=reading.name,
        offset=at,
        field=f"{record.kind}.{spec.name}",
        expected=f"at most {min(reading.context.limits.records, len(reading.data)):,}",
        found=f"{count:,}",
        hint="The field may be damaged, or the layout may not fit this version.",
    )
