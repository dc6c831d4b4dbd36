"""Fields of text: of a fixed size, with its length before it, or with a zero behind it."""

from __future__ import annotations

from typing import Any

from pruxel.core.binary.fields.registry import FieldType, Fixed, register
from pruxel.core.binary.payload import PREFIX_BYTES, read_string
from pruxel.core.binary.reading import Reading
from pruxel.core.binary.records import Record
from pruxel.core.binary.schema import FieldSpec, Layout


class _Text(FieldType):
    def read(self, reading: Reading, record: Record, spec: FieldSpec, at: int) -> tuple[Any, int]:
        return read_string(reading, record, spec, at)

    def fixed(self, spec: FieldSpec, layout: Layout) -> Fixed | None:
        del layout
        if spec.repeated or spec.size is None or not spec.size.isdigit() or not 0 < int(spec.size[:9]) < 1 << 16:
            return None
        return Fixed(int(spec.size), f"V{spec.size}", spec.encoding)

    def build(self, value: Any, spec: FieldSpec, layout: Layout) -> bytes:  # noqa: ANN401
        raw = str(value).encode(spec.encoding)
        if spec.prefix is not None:
            order = spec.endian or layout.endian
            return len(raw).to_bytes(PREFIX_BYTES[spec.prefix], order) + raw
        if spec.size is not None and spec.size.isdigit():
            return raw.ljust(int(spec.size), b"\0")
        return raw + (b"\0\0" if spec.encoding.startswith("utf-16") else b"\0")


register("text", _Text())
