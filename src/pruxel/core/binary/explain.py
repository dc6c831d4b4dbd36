"""What a layout reads of a file, as a tree: every field with its bytes and its value, also up to a failure."""

from __future__ import annotations

from typing import Any

import numpy as np

from pruxel.core.base.context import Context
from pruxel.core.base.errors import Fault, InputError
from pruxel.core.binary.fields.varying import Varying
from pruxel.core.binary.parse import parse
from pruxel.core.binary.reading import Beside
from pruxel.core.binary.records import Record, Table
from pruxel.core.binary.schema import Layout

_SHOWN_ITEMS = 20
_SHOWN_TEXT = 80


def explained(
    layout: Layout, data: memoryview, name: str, depth: int, beside: Beside | None = None
) -> tuple[list[dict[str, Any]], Fault | None]:
    """The fields of a file, `depth` levels of them, and why reading ended when it did.

    `beside` gives the bytes of files by their names.

    A field is `name`, `bytes` (first, and the one after the last), `value` in words, and the `fields` of records.
    """
    begun: list[Record] = []
    try:
        record = parse(layout, data, name, Context(), any_version=True, beside=beside, begun=begun.append)
    except InputError as error:
        return (_fields(begun[0], depth) if begun else []), error.fault
    return _fields(record, depth), None


def _fields(record: Record, depth: int) -> list[dict[str, Any]]:
    found = []
    for name, value in record.values.items():
        first, end = record.spans.get(name, (record.start, record.start))
        one: dict[str, Any] = {"name": name, "bytes": [first, end], "value": said(value)}
        if depth > 1:
            below = _below(value, depth)
            if below:
                one["fields"] = below
        found.append(one)
    return found


def _below(value: Any, depth: int) -> list[dict[str, Any]]:  # noqa: ANN401 - any value of a field
    if isinstance(value, Record):
        return _fields(value, depth - 1)
    if not isinstance(value, Table | Varying) and not (
        isinstance(value, list) and value and isinstance(value[0], Record)
    ):
        return []
    found = []
    for number in range(min(len(value), _SHOWN_ITEMS)):
        item = value[number]
        size = value.array.dtype.itemsize if isinstance(value, Table) else 0
        ends = [end for _, end in item.spans.values()] or [item.start + size]
        found.append({"name": f"[{number}]", "bytes": [item.start, max(ends)], "value": ""})
        if depth > 2:
            found[-1]["fields"] = _fields(item, depth - 2)
        else:
            found[-1]["value"] = ", ".join(f"{key} {said(one)}" for key, one in list(item.values.items())[:8])
    if len(value) > _SHOWN_ITEMS:
        last = found[-1]["bytes"][1]
        found.append({"name": "…", "bytes": [last, last], "value": f"{len(value) - _SHOWN_ITEMS:,} more"})
    return found


def said(value: Any) -> str:  # noqa: ANN401
    """A value in a few words."""
    if isinstance(value, Record):
        return value.kind
    if isinstance(value, Table | Varying | list):
        return f"{len(value):,} x {value.kind}" if isinstance(value, Table | Varying) else f"{len(value):,} items"
    if isinstance(value, np.ndarray):
        shape = " x ".join(f"{length:,}" for length in value.shape)
        head = ", ".join(f"{one:g}" for one in value.reshape(-1)[:4].tolist()) if value.dtype.kind in "iuf" else ""
        return f"{shape} {value.dtype}: {head}{'…' if value.size > 4 else ''}"
    if isinstance(value, bytes | memoryview):
        return f"{len(value):,} bytes: {bytes(value[:8]).hex(' ')}{'…' if len(value) > 8 else ''}"
    if isinstance(value, dict):
        return ", ".join(f"{key} {said(one)}" for key, one in list(value.items())[:8])
    if isinstance(value, tuple):
        return ", ".join(f"{one:g}" if isinstance(one, int | float) else str(one) for one in value)
    text = f"{value:g}" if isinstance(value, float) else repr(value) if isinstance(value, str) else str(value)
    return text if len(text) <= _SHOWN_TEXT else f"{text[:_SHOWN_TEXT]}…"
