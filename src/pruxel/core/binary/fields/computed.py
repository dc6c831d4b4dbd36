"""Fields without bytes of their own: values that are computed, and places where reading goes on."""

from __future__ import annotations

from typing import Any

from pruxel.core.binary.fields.registry import FieldType, register
from pruxel.core.binary.reading import Reading, evaluate
from pruxel.core.binary.records import Record
from pruxel.core.binary.schema import FieldSpec, Layout


class _Computed(FieldType):
    def read(self, reading: Reading, record: Record, spec: FieldSpec, at: int) -> tuple[Any, int]:
        return evaluate(reading, spec.value or "0", record, spec, at), at

    def build(self, value: Any, spec: FieldSpec, layout: Layout) -> bytes:  # noqa: ANN401
        del value, spec, layout
        return b""


class _Goto(FieldType):
    """`at` was worked out already; nothing is read there."""

    def read(self, reading: Reading, record: Record, spec: FieldSpec, at: int) -> tuple[Any, int]:
        del reading, record, spec
        return None, at


register("value", _Computed())
register("goto", _Goto())
