"""Fields that are records themselves: one, or a run as a table where the size is fixed, else as a list."""

from __future__ import annotations

from typing import Any

import numpy as np

from pruxel.core.base.errors import InputError
from pruxel.core.binary.fields.fixed import fixed_dtype
from pruxel.core.binary.fields.registry import FieldType, register
from pruxel.core.binary.fields.varying import varying_at
from pruxel.core.binary.fields.words import table_of_numbers
from pruxel.core.binary.reading import Reading, evaluate, most_records, need, over_budget, whole
from pruxel.core.binary.records import Record, Table
from pruxel.core.binary.schema import FieldSpec


class _Records(FieldType):
    def read(self, reading: Reading, record: Record, spec: FieldSpec, at: int) -> tuple[Any, int]:
        given = {name: evaluate(reading, text, record, spec, at) for name, text in spec.given.items()}
        return reading.enter(reading, spec.type, at, record, given)

    def run(self, reading: Reading, record: Record, spec: FieldSpec, at: int, count: int) -> tuple[Any, int]:
        stride = None
        if spec.stride is not None:
            stride = whole(reading, spec.stride, record, spec, at)
            if stride > len(reading.data):
                over_budget(reading, record, spec, at, stride, "a stride")
        fixed = None if spec.given else fixed_dtype(reading.layout, spec.type, reading.version, stride)
        if fixed is not None:
            size = fixed.dtype.itemsize
            if count > reading.context.limits.entries:
                over_budget(reading, record, spec, at, count)
            need(reading, at, count * size, record, spec)
            array = np.frombuffer(reading.data, fixed.dtype, count, at)
            return Table(spec.type, at, array, record, fixed.meaning), at + count * size
        if stride is None and not spec.given:
            whole_run = table_of_numbers(reading, record, spec, at, count) or varying_at(
                reading, record, spec, at, count
            )
            if whole_run is not None:
                return whole_run
        if count > most_records(reading) or count > len(reading.data):
            over_budget(reading, record, spec, at, count)
        items: list[Any] = []
        cursor = at
        try:
            for number in range(count):
                begin = cursor if stride is None else at + number * stride
                item, cursor = self.read(reading, record, spec, begin)
                items.append(item)
        except InputError:
            if spec.name is not None:  # what was read so far is of use to whoever looks for the mistake
                record.values[spec.name], record.spans[spec.name] = items, (at, cursor)
            raise
        return items, cursor


register("<record>", _Records())
