"""What a layout's `extract` names, as the kind of value that it must be: a number, a text, bytes, rows.

Expressions give whatever a field holds. Each function here gives its kind, or raises `InputError` that says which
expression gave what instead; `entry` is the file that it is told of.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence
from typing import Any, NoReturn, TypeGuard

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.expressions import compile_expression
from pruxel.core.binary.fields.varying import Varying
from pruxel.core.binary.records import Record, Table

_LARGEST = 1 << 63
_MOST_ROWS = 2_000_000
_SHOWN = 60


def whole_of(text: str, record: Record, entry: str) -> int:
    """A whole number of 64 bits."""
    return as_whole(_value(text, record, entry), text, record, entry)


def as_whole(value: Any, text: str, record: Record, entry: str) -> int:  # noqa: ANN401 - any value of a field
    """The same for a value that is known already; `text` names it."""
    plain = isinstance(value, int) or (isinstance(value, float) and value.is_integer())
    if not plain or abs(value) >= _LARGEST:
        _wrong(text, record, entry, "a whole number", value)
    return int(value)


def number_of(text: str, record: Record, entry: str) -> float:
    """A number that is one: neither infinite nor undefined."""
    value = _value(text, record, entry)
    if not isinstance(value, int | float) or not math.isfinite(value):
        _wrong(text, record, entry, "a number", value)
    return float(value)


def numbers_of(text: str, record: Record, entry: str, *widths: int) -> tuple[float, ...]:
    """As many numbers as one of `widths` says; a single one may stand alone. Whether they are finite is not asked."""
    value = _value(text, record, entry)
    found = value.tolist() if isinstance(value, np.ndarray) else value
    listed = found if isinstance(found, tuple | list) else (found,)
    if len(listed) not in widths or not all(isinstance(one, int | float) for one in listed):
        _wrong(text, record, entry, f"{' or '.join(map(str, widths))} numbers", value)
    return tuple(float(one) for one in listed)


def text_of(text: str, record: Record, entry: str) -> str:
    """A text; numbers are written out."""
    value = _value(text, record, entry)
    if not isinstance(value, str | int | float):
        _wrong(text, record, entry, "a text", value)
    return str(value)


def bytes_of(text: str, record: Record, entry: str) -> memoryview:
    """The bytes of a field; of one field always the same view, where it holds one."""
    value = _value(text, record, entry)
    if not isinstance(value, bytes | memoryview):
        _wrong(text, record, entry, "bytes", value)
    return value if isinstance(value, memoryview) else memoryview(value)


def rows_of(text: str, record: Record, entry: str) -> Table | Varying | Sequence[Record]:
    """Records in a row."""
    value = _value(text, record, entry)
    if not _is_records(value):
        _wrong(text, record, entry, "records with 'count'", value)
    return value


def _is_records(value: object) -> TypeGuard[Table | Varying | list[Record]]:
    return isinstance(value, Table | Varying) or (
        isinstance(value, list) and all(isinstance(one, Record) for one in value)
    )


def each_of(text: str | None, record: Record, entry: str) -> Iterator[Record]:
    """A scope for each item: of records, of a list or array (`item`), or of a number of them; `row` counts from 0.

    Without `text` there is one, the record itself.
    """
    if text is None:
        yield record.below(row=0)
        return
    items = items_of(text, record, entry)
    if isinstance(items, range):
        yield from (record.below(row=row) for row in items)
    elif _is_records(items):
        yield from (one.below(row=row) for row, one in enumerate(items))
    elif isinstance(items, list) and items and all(isinstance(one, dict) for one in items):
        yield from (record.below(**{**one, "row": row, "item": one}) for row, one in enumerate(items))
    else:
        yield from (record.below(row=row, item=one) for row, one in enumerate(items))


def items_of(text: str, record: Record, entry: str) -> Iterable[Any]:
    """The bare items: records, what a list or array holds, or the numbers from 0 below a number."""
    value = _value(text, record, entry)
    if isinstance(value, int) and not isinstance(value, bool) and 0 <= value <= _MOST_ROWS:
        return range(value)
    if _is_records(value) or isinstance(value, list | tuple):
        return value
    if not isinstance(value, np.ndarray):
        _wrong(text, record, entry, "records, a list, or how many", value)
    return value.tolist() if value.ndim == 1 else value


def array_of(text: str, record: Record, entry: str, *widths: int) -> AnyArray:
    """Rows of numbers: (n, width) for one of the widths, (n,) for a width of 1."""
    value = _value(text, record, entry)
    found = np.asarray(value) if isinstance(value, np.ndarray | tuple | int | float) else None
    if found is not None and found.ndim == 2 and found.shape[1] == 1:
        found = found[:, 0]
    good = found is not None and found.dtype.kind in "iufb" and found.ndim in {1, 2}
    if found is None or not good or (1 if found.ndim == 1 else found.shape[1]) not in widths:
        _wrong(text, record, entry, f"rows of {' or '.join(map(str, widths))} numbers", value)
    return found


def matrix_of(text: str, record: Record, entry: str) -> AnyArray:
    """A (4, 4) matrix, or (n, 4, 4)."""
    value = _value(text, record, entry)
    if not isinstance(value, np.ndarray) or value.shape[-2:] != (4, 4) or value.ndim > 3:
        _wrong(text, record, entry, "a 4x4 matrix", value)
    return value.astype(np.float64)


def truth_of(text: str | None, record: Record, entry: str, *, otherwise: bool) -> bool:
    """A condition; `otherwise` where there is none."""
    if text is None:
        return otherwise
    value = _value(text, record, entry)
    if isinstance(value, np.ndarray) or not isinstance(value, int | float | str):
        _wrong(text, record, entry, "a condition", value)
    return bool(value)


def value_of(text: str, record: Record, entry: str) -> Any:  # noqa: ANN401
    """Whatever it is."""
    return _value(text, record, entry)


def wholes_of(text: str, record: Record, entry: str) -> AnyArray:
    """A run of whole numbers, (n,) of an integer type."""
    value = _value(text, record, entry)
    found = np.asarray(value) if isinstance(value, tuple) else value
    if not isinstance(found, np.ndarray) or found.ndim != 1 or found.dtype.kind not in "iu":
        _wrong(text, record, entry, "a run of whole numbers", value)
    return found


def _value(text: str, record: Record, entry: str) -> Any:  # noqa: ANN401
    try:
        return compile_expression(text)(record)
    except InputError as error:
        fault = error.fault
        raise InputError(
            fault.code, fault.message, file=entry, offset=record.start, field=record.kind, hint=fault.hint
        ) from error


def _wrong(text: str, record: Record, entry: str, expected: str, value: object) -> NoReturn:
    shown = repr(value) if isinstance(value, int | float | str | tuple) else f"a {type(value).__name__.lower()}"
    raise InputError(
        ErrorCode.LAYOUT,
        f"'{text}' is not what 'yields' takes it for",
        file=entry,
        offset=record.start,
        field=record.kind,
        expected=expected,
        found=shown[:_SHOWN],
        hint="Check the layout's 'yields' against its records.",
    )
