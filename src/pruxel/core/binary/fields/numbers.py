"""Fields of an element type: a number or a small vector, and runs of them as one view of the file."""

from __future__ import annotations

from typing import Any

import numpy as np

from pruxel.core.binary.elements import Element, decode_floats, element
from pruxel.core.binary.fields.registry import FieldType, Fixed, constant_count, register
from pruxel.core.binary.reading import Reading, byte_order, need
from pruxel.core.binary.records import Record
from pruxel.core.binary.schema import FieldSpec, Layout


def _kind(spec: FieldSpec) -> Element:
    kind = element(spec.type)
    assert kind is not None
    return kind


class _Number(FieldType):
    def read(self, reading: Reading, record: Record, spec: FieldSpec, at: int) -> tuple[Any, int]:
        kind = _kind(spec)
        need(reading, at, kind.size, record, spec)
        order = byte_order(reading, spec)
        array = np.frombuffer(reading.data, kind.dtype(order), kind.width, at)
        if "norm" in kind.scalar:
            raw = np.frombuffer(reading.data, np.uint8, kind.size, at).reshape(1, -1)
            array = decode_floats(raw, kind, 0, order)[0]
        return (array[0].item() if kind.components == 1 else tuple(array.tolist())), at + kind.size

    def run(self, reading: Reading, record: Record, spec: FieldSpec, at: int, count: int) -> tuple[Any, int]:
        kind = _kind(spec)
        need(reading, at, count * kind.size, record, spec)
        order, end = byte_order(reading, spec), at + count * kind.size
        if "norm" in kind.scalar:
            raw = np.frombuffer(reading.data, np.uint8, count * kind.size, at).reshape(count, kind.size)
            found = decode_floats(raw, kind, 0, order)
            return (found[:, 0] if kind.components == 1 else found), end
        array = np.frombuffer(reading.data, kind.dtype(order), count * kind.width, at)
        return (array.reshape(count, kind.width) if kind.width > 1 else array), end

    def fixed(self, spec: FieldSpec, layout: Layout) -> Fixed | None:
        kind, count = _kind(spec), constant_count(spec)
        if count is None or "norm" in kind.scalar:
            return None
        order = "<" if (spec.endian or layout.endian) == "little" else ">"
        shape = tuple(length for length in (count if spec.repeated else 1, kind.width) if length != 1)
        code = kind.dtype(order)
        return Fixed(kind.size * count, (code, shape) if shape else code)

    def build(self, value: Any, spec: FieldSpec, layout: Layout) -> bytes:  # noqa: ANN401
        kind = _kind(spec)
        order = "<" if (spec.endian or layout.endian) == "little" else ">"
        values = np.asarray(value)
        if kind.packed:
            raise ValueError(f"fields of type '{spec.type}' are not written yet")
        if "norm" in kind.scalar:
            bits = 8 * int(kind.code[1]) - kind.scalar.startswith("snorm")
            values = np.rint(values * (2.0**bits - 1))
        return values.astype(kind.dtype(order)).tobytes()


register("<element>", _Number())
