"""Fields of plain bytes: blocks, unpacked and deciphered as they say, and bytes that are passed over."""

from __future__ import annotations

from typing import Any

from pruxel.core.binary.fields.registry import FieldType, Fixed, register
from pruxel.core.binary.payload import read_bytes
from pruxel.core.binary.reading import Reading
from pruxel.core.binary.records import Record
from pruxel.core.binary.schema import FieldSpec, Layout


class _Block(FieldType):
    def read(self, reading: Reading, record: Record, spec: FieldSpec, at: int) -> tuple[Any, int]:
        return read_bytes(reading, record, spec, at)

    def fixed(self, spec: FieldSpec, layout: Layout) -> Fixed | None:
        del layout
        if spec.repeated or spec.size is None or not spec.size.isdigit() or len(spec.size) > 9:
            return None
        return Fixed(int(spec.size), f"V{spec.size}" if spec.type == "bytes" and int(spec.size) else None)

    def build(self, value: Any, spec: FieldSpec, layout: Layout) -> bytes:  # noqa: ANN401
        del layout
        if spec.codec is not None or spec.cipher is not None:
            raise ValueError("packed and encrypted bytes are not written yet")
        return bytes(value)


register("bytes", _Block())
register("pad", _Block())
