"""Fields that are another file: its bytes, found by a path that the layout works out."""

from __future__ import annotations

from typing import Any

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.fields.registry import FieldType, register
from pruxel.core.binary.reading import Reading, evaluate
from pruxel.core.binary.records import Record
from pruxel.core.binary.schema import FieldSpec


class _Sibling(FieldType):
    """Takes no bytes of this file; `within` reads records in it."""

    def read(self, reading: Reading, record: Record, spec: FieldSpec, at: int) -> tuple[Any, int]:
        path = evaluate(reading, spec.path or "''", record, spec, at)
        if not isinstance(path, str) or not path:
            raise self._gone(reading, record, spec, at, "'path' should give a text")
        if reading.beside is None:
            raise self._gone(reading, record, spec, at, "files beside this one cannot be read here")
        data = reading.beside(path)
        if data is None:
            raise self._gone(reading, record, spec, at, f"the file '{path}' that belongs to this one is not there")
        return data, at

    @staticmethod
    def _gone(reading: Reading, record: Record, spec: FieldSpec, at: int, why: str) -> InputError:
        return InputError(
            ErrorCode.REFERENCE,
            why,
            file=reading.name,
            offset=at,
            field=f"{record.kind}.{spec.name or spec.type}",
            hint="Mount the source that holds it too, or give the field a 'when'.",
        )


register("sibling", _Sibling())
